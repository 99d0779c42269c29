/** Periods by their ISO names: their days, and the events that fall into them. */
import type { Schemas } from './api/client';

const DAY_MS = 86_400_000;

/** The year in the name of a period: 2026, FY2026. */
export const yearOf = (name: string) => name.split('-')[0] ?? '';

/** A period as people call one: month, fiscal year. */
export const spoken = (period: string) => period.replace('-', ' ');
/** The same as one of the calendar: calendar month, fiscal year. */
export const ofCalendar = (period: string) =>
  period.startsWith('fiscal') ? spoken(period) : `calendar ${period}`;

/** First day of a day, week, month, quarter or year, and the first day after it, in ISO form; `fiscalMonth`: that in which
 * fiscal years begin, which are named by the year in which they end. */
export function daysOf(period: string, fiscalMonth: number): [string, string] {
  const [name = '', rest = '', day] = period.split('-');
  const iso = (at: number) => new Date(at).toISOString().slice(0, 10);
  if (day !== undefined) {
    const [begins = '', isWeek] = period.split('/');
    return [begins, iso(Date.parse(`${begins}T00:00:00Z`) + (isWeek ? 7 : 1) * DAY_MS)];
  }
  const isFiscal = name.startsWith('FY');
  const year = Number(isFiscal ? name.slice(2) : name) - (isFiscal && fiscalMonth > 1 ? 1 : 0);
  if (rest.startsWith('W')) {
    const fourth = new Date(Date.UTC(year, 0, 4));
    const monday = fourth.getTime() - ((fourth.getUTCDay() + 6) % 7) * DAY_MS;
    const begins = monday + (Number(rest.slice(1)) - 1) * 7 * DAY_MS;
    return [iso(begins), iso(begins + 7 * DAY_MS)];
  }
  const months = rest.startsWith('Q') ? 3 : rest ? 1 : 12;
  const inYear = rest.startsWith('Q') ? (Number(rest.slice(1)) - 1) * 3 : rest ? Number(rest) - 1 : 0;
  const first = inYear + (isFiscal ? fiscalMonth - 1 : 0);
  return [iso(Date.UTC(year, first, 1)), iso(Date.UTC(year, first + months, 1))];
}

/** The places of the periods that events fall into, with their labels. */
export function eventsOver(
  periods: string[],
  { events, fiscal_month }: Pick<Schemas['CohortsShape'], 'events' | 'fiscal_month'>,
): { place: number; labels: string[] }[] {
  if (events.length === 0) return [];
  return periods.flatMap((period, place) => {
    const [begins, after] = daysOf(period, fiscal_month);
    const labels = events
      .filter((event) => event.begins < after && event.ends >= begins)
      .map((event) => event.label);
    return labels.length ? [{ place, labels }] : [];
  });
}
