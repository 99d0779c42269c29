/** The measure that is looked at, out of the figures of a period; and how new and returning are drawn. */
import type { QueryOf } from '$lib/answer.svelte';
import type { Schemas } from '$lib/api/client';
import { count, money, percent } from '$lib/format/figures';
import type { Series } from '$src/charts/columns';

export type Newness = Schemas['NewnessShape'];
export type Measure = Newness['measure'];
type Stretch = Pick<Schemas['NewnessPeriodShape'], 'orders' | 'customers' | 'revenue'>;

export interface Parts {
  new: number;
  returning: number;
  wonBack: number;
  total: number;
}

export type Side = NonNullable<QueryOf<'newness/recount'>['side']>;
const SIDES: readonly string[] = ['new', 'returning', 'won_back', 'all'] satisfies Side[];
export const isSide = (side: string): side is Side => SIDES.includes(side);

export const NEW_TONE = 4;
export const RETURNING_TONE = 8;
export const WON_BACK_TONE = 6;

export function partsOf(stretch: Stretch, measure: Measure): Parts {
  const parts = stretch[measure];
  const [fresh, returning, wonBack] = [Number(parts.new), Number(parts.returning), Number(parts.won_back)];
  return { new: fresh, returning, wonBack, total: fresh + returning };
}

/** A figure in full. Amounts are summed as numbers for drawing alone; what is read is written by the server. */
export function exact(stretch: Stretch, measure: Measure, side: 'new' | 'returning' | 'won_back'): string {
  const value = stretch[measure][side];
  return typeof value === 'number' ? count(value) : money(value);
}

export function say(value: number, measure: Measure): string {
  return measure === 'revenue' ? money(value.toFixed(0), true) : count(Math.round(value));
}

export function noun(answer: Newness): string {
  return answer.measure === 'revenue' ? `${answer.currency} revenue` : answer.measure;
}

/** Returning at the foot, new on top of it; won back is a part of returning. */
export function series(answer: Newness): Series[] {
  const all = answer.periods.map((period) => partsOf(period, answer.measure));
  return [
    { key: 'returning', label: 'returning', values: all.map((each) => each.returning), tone: RETURNING_TONE },
    {
      key: 'won_back',
      label: 'of these won back',
      values: all.map((each) => each.wonBack),
      tone: WON_BACK_TONE,
      within: true,
    },
    { key: 'new', label: 'new', values: all.map((each) => each.new), tone: NEW_TONE, hatched: true },
  ];
}

/** A change against an earlier figure, in percent: +4 %, −12 %. */
export function change(now: number, before: number): string {
  if (before === 0) return '—';
  const by = (now - before) / before;
  return `${by < 0 ? '−' : '+'}${percent(Math.abs(by))} %`;
}

export function share(part: number, whole: number): string {
  return whole === 0 ? '—' : `${percent(part / whole)} %`;
}
