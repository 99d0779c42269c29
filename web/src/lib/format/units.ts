/** A figure as people read it, by what it is counted in. */
import type { Schemas } from '../api/client';
import { count, decimal, money, percent, rounded } from './figures';

export type Unit = Schemas['OpenedShape']['unit'];

/** In full: 39.4 %, 2 377, 31 204.85. */
export function inUnits(value: number | string | null, unit: Unit, decimals = 1): string {
  if (value === null) return '—';
  if (unit === 'share') return `${percent(Number(value), decimals)}\u00a0%`;
  if (unit === 'count') return count(Number(value));
  if (unit === 'number') return decimal(Number(value));
  return money(typeof value === 'string' ? value : value.toFixed(2));
}

/** For a cell: a share without its sign, amounts without decimals, roughly where there is no room. */
export function inCell(value: number | null, unit: Unit, narrow: boolean): string {
  if (value === null) return '—';
  if (unit === 'share') return percent(value);
  if (unit === 'count') return count(value);
  return narrow && Math.abs(value) >= 1000 ? rounded(value) : money(value.toFixed(0), true);
}

/** For an axis: no decimals anywhere. */
export function onAxis(value: number, unit: Unit): string {
  return unit === 'money' ? money(value.toFixed(0), true) : inUnits(value, unit, 0);
}
