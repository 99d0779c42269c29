/** Values of fields as people read them. */
import type { Schemas } from '$lib/api/client';
import { date } from './dates';
import { written } from './reader';
import { count, decimal, money } from './figures';

export type Cell = string | number | null;
type Kind = Schemas['Kind'];

/** Whether a field's values are set to the right, as figures are. */
export function isFigure(kind: Kind): boolean {
  return ['number', 'count', 'days', 'ratio', 'money'].includes(kind);
}

/** A value: 12 Jul 2026, 45 d, 2.5 ×, 1 204.50; a dash where nothing applies. */
export function cell(value: Cell, kind: Kind): string {
  if (value === null) return '—';
  switch (kind) {
    case 'date':
      return date(String(value));
    case 'days':
      return `${trimmed(Number(value))} d`;
    case 'ratio':
      return `${decimal(Number(value))} ×`;
    case 'money':
      return money(String(value));
    case 'count':
      return count(Number(value));
    case 'number':
      return written(String(value).replace('-', '−'));
    default:
      return String(value);
  }
}

/** A number of days with at most one decimal. */
export function trimmed(days: number): string {
  const rounded = Math.round(days * 10) / 10;
  return Number.isInteger(rounded) ? count(rounded) : decimal(rounded);
}
