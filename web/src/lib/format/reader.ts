/** How the reader writes numbers and dates: as chosen here, else as the browser does. What is typed is read likewise. */
import { kept } from '../kept';

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

export interface Reader {
  numbers: string;
  dates: DateForm;
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

function readerHere(): Reader {
  const language = here ? navigator.language : 'en';
  const { numbers = '', dates } = known();
  return {
    numbers: numbers in NUMBER_FORMS ? numbers : here ? usualForm(language) : HOUSE,
    dates: DATE_FORMS.find((form) => form === dates) ?? '31 Oct 2026',
  };
}

/** Who reads here. A choice counts from the next load of the page on, which `choose` brings about. */
export const reader: Readonly<Reader> = readerHere();
export const form: NumberForm = NUMBER_FORMS[reader.numbers] ?? { group: THIN, decimal: '.' };

export function choose(choice: Partial<Reader>): void {
  localStorage.setItem(KEPT, JSON.stringify({ ...known(), ...choice }));
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

/** What somebody typed as a number: its plain decimal text, or why it is none. */
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
