/** Dates and periods as people read them; ISO 8601 stays in files and addresses. */
import { dateWritten, MONTHS, reader } from './reader';

const DAY_MS = 86_400_000;

/** 2026-07-12 as 12 Jul 2026, or in the reader's other form. */
export function date(iso: string): string {
  const [year, month, day] = iso.split('-').map(Number);
  return dateWritten(year ?? 0, month ?? 0, day ?? 0);
}

/** A date as the reader writes it, with the time of day that stands after it. */
export const dateTyped = (iso: string) => `${date(iso.slice(0, 10))}${iso.slice(10)}`;

/** Today's date where a book is kept, in ISO form. */
export function todayIn(timeZone: string, now: number = Date.now()): string {
  const parts = new Intl.DateTimeFormat('en', {
    timeZone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
  });
  const part = Object.fromEntries(parts.formatToParts(now).map(({ type, value }) => [type, value]));
  return `${part['year']}-${part['month']}-${part['day']}`;
}

/** A moment in the reader's own time, with the zone of that: 12 Jul 2026, 09:12 CEST. */
export function moment(iso: string): string {
  const at = new Date(iso);
  const two = (value: number) => String(value).padStart(2, '0');
  const zone = new Intl.DateTimeFormat('en', { timeZoneName: 'short' })
    .formatToParts(at)
    .find((part) => part.type === 'timeZoneName');
  const day = dateWritten(at.getFullYear(), at.getMonth() + 1, at.getDate());
  return `${day}, ${two(at.getHours())}:${two(at.getMinutes())} ${zone?.value ?? ''}`.trim();
}

/** Two dates as a span: 1 to 28 Feb 2026, 2 Jan 2023 to 31 Oct 2026, or one date. */
export function span(first: string, last: string): string {
  if (first === last) return date(first);
  const sameMonth = reader.dates === '31 Oct 2026' && first.slice(0, 7) === last.slice(0, 7);
  return `${sameMonth ? Number(first.slice(8)) : date(first)} to ${date(last)}`;
}

/** 2026-07-12 as Jul 2026. */
export function monthOf(iso: string): string {
  const [year, month] = iso.split('-');
  return `${MONTHS[Number(month) - 1]} ${year}`;
}

/** Days since 1970-01-01. */
export function dayNumber(iso: string): number {
  return Date.parse(`${iso}T00:00:00Z`) / DAY_MS;
}

/** A number of days since 1970-01-01 as an ISO date. */
export function isoOf(day: number): string {
  return new Date(Math.round(day) * DAY_MS).toISOString().slice(0, 10);
}

/** A period's ISO name in words: Mar 2024, Q1 2024, week 5 of 2024, 2024. */
export function periodName(label: string): string {
  const [year = '', rest, day] = label.split('-');
  if (day !== undefined) return `${isWeekOf(label) ? 'week of ' : ''}${date(label.slice(0, 10))}`;
  if (!rest) return year;
  if (rest.startsWith('W')) return `week ${Number(rest.slice(1))} of ${year}`;
  return rest.startsWith('Q') ? `${rest} ${year}` : `${MONTHS[Number(rest) - 1]} ${year}`;
}

/** Whether a period is a week that is named by its first day. */
const isWeekOf = (label: string) => label.endsWith('/P7D');

/** The part of a period's name that differs from its neighbours', and the year where one begins. */
export function shortPeriodName(label: string, first: boolean): string {
  const [year = '', rest] = label.split('-');
  if (isWeekOf(label)) {
    const begins = first || /-01-0[1-7]\//.test(label);
    return date(label.slice(0, 10)).replace(begins ? '' : ` ${year}`, '');
  }
  if (!rest) return year;
  const begins = first || rest === '01' || rest === 'Q1' || rest === 'W01';
  if (rest.startsWith('W')) return begins ? `${rest} ${year}` : rest;
  const own = rest.startsWith('Q') ? rest : (MONTHS[Number(rest) - 1] ?? rest);
  return begins ? `${own} ${year}` : own;
}

/** What stands under a column of a chart over time: as many names as there is room for, years where they begin. */
export function periodTick(label: string, place: number, every: number): string {
  const [year = '', rest = '', day] = label.split('-');
  if (!rest) return place % every === 0 ? year : '';
  if (day !== undefined) {
    const [last, most] = isWeekOf(label) ? [7, 4] : [1, 20];
    if (Number(day.slice(0, 2)) > last) return '';
    return rest === '01' ? year : every <= most ? (MONTHS[Number(rest) - 1] ?? '') : '';
  }
  const begins = place === 0 || rest === '01' || rest === 'Q1' || rest === 'W01';
  if (begins) return every > 1 || rest.startsWith('W') ? year : shortPeriodName(label, true);
  if (every === 1) return shortPeriodName(label, false);
  return every <= 4 && ['04', '07', '10'].includes(rest) ? shortPeriodName(label, false) : '';
}
