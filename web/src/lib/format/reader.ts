/** How the reader writes numbers and dates: as chosen here, else as the browser does. What is typed is read likewise. */
import { keep, kept } from '../kept';

export interface NumberForm {
  /** What stands between thousands, and before decimals. */
  group: string;
  decimal: string;
}
const THIN = '\u202f';

const HOUSE = `1${THIN}234.50`;

/** The forms that can be chosen, by an example of each; the first is that of the server's words. */
export const NUMBER_FORMS: Record<string, NumberForm> = {
  [HOUSE]: { group: THIN, decimal: '.' },
  '1,234.50': { group: ',', decimal: '.' },
  '1.234,50': { group: '.', decimal: ',' },
  [`1${THIN}234,50`]: { group: THIN, decimal: ',' },
};
export const DATE_FORMS = ['31 Oct 2026', '31/10/2026', '2026-10-31'] as const;
export type DateForm = (typeof DATE_FORMS)[number];
export const WEEKS = ['Monday', 'Sunday'] as const;

export interface Reader {
  numbers: string;
  dates: DateForm;
  /** The day on which a calendar's week begins. */
  week: (typeof WEEKS)[number];
}

const KEPT = 'goldthread-reader';
/** Whether this is a browser, which keeps what somebody chose. */
const here = typeof document !== 'undefined';

/** The form that a language writes numbers in. */
export function usualForm(language: string): string {
  const parts = new Intl.NumberFormat(language, { useGrouping: 'always' }).formatToParts(12345.6);
  const of = (type: string) => parts.find((part) => part.type === type)?.value ?? '';
  const [group, decimal] = [of('group').trim(), of('decimal')];
  const found = Object.entries(NUMBER_FORMS).find(
    ([, form]) => form.decimal === decimal && (form.group.trim() || '') === group,
  );
  return found?.[0] ?? (decimal === ',' ? `1${THIN}234,50` : HOUSE);
}

const known = () => (here ? ((kept(KEPT) ?? {}) as Partial<Reader>) : {});

/** The day on which weeks begin where a language is spoken. */
export function usualWeek(language: string): Reader['week'] {
  // not every browser knows, and the types do not yet
  const locale = new Intl.Locale(language) as { getWeekInfo?: () => { firstDay: number } };
  return locale.getWeekInfo?.().firstDay === 7 ? 'Sunday' : 'Monday';
}

function readerHere(): Reader {
  const language = here ? navigator.language : 'en';
  const { numbers = '', dates, week } = known();
  return {
    numbers: numbers in NUMBER_FORMS ? numbers : here ? usualForm(language) : HOUSE,
    dates: DATE_FORMS.find((form) => form === dates) ?? '31 Oct 2026',
    week: WEEKS.find((day) => day === week) ?? (here ? usualWeek(language) : 'Monday'),
  };
}

/** Who reads here. A choice counts from the next load of the page on, which `choose` brings about. */
export const reader: Readonly<Reader> = readerHere();
export const form: NumberForm = NUMBER_FORMS[reader.numbers] ?? { group: THIN, decimal: '.' };

export function choose(choice: Partial<Reader>): void {
  keep(KEPT, { ...known(), ...choice });
  location.reload();
}

/** A decimal text, thousands set apart by thin spaces or not at all, as the reader writes it. */
export function written(decimal: string): string {
  if (form.group === THIN && form.decimal === '.') return decimal;
  return decimal.replace('.', '\0').replaceAll(THIN, form.group).replace('\0', form.decimal);
}

/** What of the server's words is a number or a date, as the reader writes it. */
export function said(words: string): string {
  const numbers = words.replace(
    /\d{1,3}(?:\u202f\d{3})+(?:\.\d+)?(?![\d.])|(?<![\d.])\d+\.\d+(?![\d.])/g,
    (number) => written(number),
  );
  if (reader.dates === '31 Oct 2026') return numbers;
  return numbers.replace(
    /\b(\d{1,2}) (Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) (\d{4})\b/g,
    (...found) => dateWritten(Number(found[3]), MONTHS.indexOf(found[2] as string) + 1, Number(found[1])),
  );
}

export const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** A date as the reader writes it. */
export function dateWritten(year: number, month: number, day: number): string {
  const two = (part: number) => String(part).padStart(2, '0');
  switch (reader.dates) {
    case '31 Oct 2026':
      return `${day} ${MONTHS[month - 1]} ${year}`;
    case '31/10/2026':
      return `${two(day)}/${two(month)}/${year}`;
    case '2026-10-31':
      return `${year}-${two(month)}-${two(day)}`;
  }
}

/** What somebody typed: its value as the server writes it, or why it has none. */
export type Typed = { value: string; problem?: undefined } | { value?: undefined; problem: string };

/** A text as a number in one form, as plain decimal text. Spaces are gone from it. */
function readAs(text: string, { group, decimal }: NumberForm): string | undefined {
  const groups = group === THIN ? '' : `|\\d{1,3}(?:\\${group}\\d{3})+`;
  const found = new RegExp(`^([+-]?)(\\d+${groups})(?:\\${decimal}(\\d+))?$`).exec(text);
  if (!found) return undefined;
  const [, sign = '', whole = '', decimals = ''] = found;
  return `${sign === '-' ? '-' : ''}${whole.replaceAll(group, '')}${decimals && `.${decimals}`}`;
}

/** Read a number in the reader's own form, else in the only one that fits. What fits several, and reads differently in
 * them, is refused and never guessed. */
export function readNumber(text: string, own: NumberForm = form): Typed {
  // spaces of every kind only ever set thousands apart
  const typed = text
    .trim()
    .replace('−', '-')
    .replace(/(?<=\d)\s(?=\d{3}(?!\d))/g, '');
  const mine = readAs(typed, own);
  if (mine !== undefined) return { value: mine };
  const readings = new Set(Object.values(NUMBER_FORMS).flatMap((each) => readAs(typed, each) ?? []));
  const [first, second] = readings;
  if (first === undefined) return { problem: `“${text.trim()}” is no number.` };
  if (second === undefined) return { value: first };
  return {
    problem: `“${text.trim()}” can be ${[...readings].map(written).join(' or ')}: write it as one of these.`,
  };
}

/** Read a date, and a time of day after it, in any form that is chosen from or in ISO form. Whether the day or the month
 * comes first is known of readers who write it so, else where only one of both can be; it is never guessed. */
export function readDate(text: string, own: DateForm = reader.dates): Typed {
  const [, day = '', time = ''] = /^(.*?)(?:[T ]\s*(\d{1,2}:\d{2}(?::\d{2})?))?$/.exec(text.trim()) ?? [];
  const readings = datesIn(day, own);
  const found = new Set(readings.filter(([year, month, date]) => isDate(year, month, date)).map(isoDate));
  const [first, second] = found;
  if (first === undefined)
    return { problem: readings.length > 0 ? 'There is no such date.' : `Write it as ${own}.` };
  if (second !== undefined)
    return { problem: `“${day}” can be ${[...found].join(' or ')}: write it as one of these.` };
  return { value: time ? `${first} ${time.padStart(time.length > 5 ? 8 : 5, '0')}` : first };
}

type YearMonthDay = [number, number, number];

const isDate = (year: number, month: number, day: number) => {
  const date = new Date(Date.UTC(year, month - 1, day));
  return year >= 1000 && date.getUTCMonth() === month - 1 && date.getUTCDate() === day;
};
const isoDate = ([year, ...rest]: YearMonthDay) =>
  [year, ...rest.map((part) => String(part).padStart(2, '0'))].join('-');

/** Every way in which a text can be a date; those that no calendar has too. */
function datesIn(text: string, own: DateForm): YearMonthDay[] {
  const [, year, month, day] = /^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})$/.exec(text) ?? [];
  if (year) return [[Number(year), Number(month), Number(day)]];
  const named = /^(?:(\d{1,2})\.? ([a-z]{3,9})|([a-z]{3,9}) (\d{1,2}))\.?,? (\d{4})$/i.exec(text);
  if (named) {
    const name = (named[2] ?? named[3] ?? '').slice(0, 3).toLowerCase();
    const at = MONTHS.findIndex((month) => month.toLowerCase() === name);
    return at < 0 ? [] : [[Number(named[5]), at + 1, Number(named[1] ?? named[4])]];
  }
  const parts = /^(\d{1,2})[-/.](\d{1,2})[-/.](\d{4})$/.exec(text)?.slice(1).map(Number);
  if (!parts) return [];
  const [first = 0, second = 0, last = 0] = parts;
  const dayFirst: YearMonthDay = [last, second, first];
  return own === '31/10/2026' ? [dayFirst] : [dayFirst, [last, first, second]];
}
