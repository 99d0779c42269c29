/** Profit by age: what stands at the curves, in words. */
import type { Schemas } from '$lib/api/client';
import { money } from '$lib/format/figures';

export type ProfitCurve = Schemas['BroughtCurveShape'];

/** One curve as it is drawn. `cohort` and `group` are what opens it. */
export interface Drawn {
  name: string;
  start: number | null;
  profit: (number | null)[];
  low: (number | null)[];
  high: (number | null)[];
  complete: number;
  /** The one that the others are held against. */
  main?: boolean;
  /** One of many: thin, without a name. */
  faint?: boolean;
  /** What would be, not what was. */
  dashed?: boolean;
  open?: (age: number) => void;
}

/** An amount that may be missing: 94.85, −38.10, or a dash. */
export function amount(value: number | null | undefined): string {
  return value === null || value === undefined ? '—' : money(value.toFixed(2));
}

/** When a curve crosses zero, in words. */
export function paidWords(paidBack: number | null, period: string, known: boolean): string {
  if (!known) return 'cost unknown';
  return paidBack === null ? 'not yet' : `${period} ${paidBack}`;
}

/** Ages that the axis names: as many as can be read. */
export function ageTicks(last: number): number[] {
  const step = [1, 2, 3, 6, 12, 24, 60, 120, 600, 6000].find((each) => last / each <= 16) ?? 6000;
  return Array.from({ length: Math.floor(last / step) + 1 }, (_, at) => at * step);
}
