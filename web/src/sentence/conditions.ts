/** Conditions put together word by word: what can be compared how, and the text that says so. */
import type { Schemas } from '$lib/api/client';

type Field = Schemas['FieldChoiceShape'];

export interface Way {
  value: string;
  label: string;
  needsValue: boolean;
  /** Any text can be given, not one of the values that there are. */
  free: boolean;
}

const way = (value: string, label: string, needsValue = true, free = false): Way => ({
  value,
  label,
  needsValue,
  free,
});
const FILLED = [way('filled', 'is filled in', false), way('blank', 'is blank', false)];
const TEXTS = [
  way('=', 'is'),
  way('<>', 'is not'),
  way('has', 'has', true, true),
  way('begins', 'begins with', true, true),
  ...FILLED,
];
const NUMBERS = [
  way('>=', 'is at least'),
  way('<=', 'is at most'),
  way('>', 'is above'),
  way('<', 'is below'),
  way('=', 'is'),
  way('<>', 'is not'),
  ...FILLED,
];
const DATES = [way('>=', 'is on or after'), way('<=', 'is on or before'), way('=', 'is'), ...FILLED];

/** How a field can be compared. */
export function comparisons(kind: Field['kind']): Way[] {
  if (kind === 'text' || kind === 'label') return TEXTS;
  return kind === 'date' ? DATES : NUMBERS;
}

/** One comparison as CQL2 text. "Is not" means everything else, also where it is blank. */
export function written(field: Field, compare: string, value: string): string {
  const name = field.written;
  switch (compare) {
    case 'filled':
      return `${name} IS NOT NULL`;
    case 'blank':
      return `${name} IS NULL`;
    case 'has':
      return `${name} LIKE ${quoted(`%${escaped(value)}%`)}`;
    case 'begins':
      return `${name} LIKE ${quoted(`${escaped(value)}%`)}`;
    case '<>':
      return `(${name} <> ${literal(field, value)} OR ${name} IS NULL)`;
    default:
      return `${name} ${compare} ${literal(field, value)}`;
  }
}

/** In place of a field: orders of a range of dates. */
export const DATED = 'dated';
/** Whether somebody ordered in a range of dates, both inside. */
export const DATED_WAYS = [
  { value: '>= 1', label: 'ordered' },
  { value: '= 0', label: 'did not order' },
];
/** The same as CQL2 text: the range is written as ISO 8601 writes one. */
export const writtenDated = (way: string, first: string, last: string) =>
  `"orders:dated:${first}/${last}" ${way}`;

function literal(field: Field, value: string): string {
  if (field.kind === 'text' || field.kind === 'label') return quoted(value);
  if (field.kind === 'date') return `DATE(${quoted(value)})`;
  // plain decimal text: it was read in the reader's own form
  return value;
}

function quoted(value: string): string {
  return `'${value.replaceAll("'", "''")}'`;
}

function escaped(value: string): string {
  return value.replace(/[%_\\]/g, '\\$&');
}
