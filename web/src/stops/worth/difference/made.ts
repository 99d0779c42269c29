/** What made a difference, as lengths of one thread that add up to it. */
import type { Schemas } from '$lib/api/client';
import { decimal } from '$lib/format/figures';
import { inUnits } from '$lib/format/units';

export type Difference = Schemas['DifferenceShape'];
export type MadeBy = Difference['factors'][number];

const NAMES: Record<string, string> = {
  all: 'all',
  customers: 'customers',
  orders_per_customer: 'orders per customer',
  average_order_value: 'average order value',
  new: 'new customers',
  returning: 'returning customers',
};
/** Groups that are drawn one by one; the others stand together. */
const DRAWN_MOST = 10;

export interface Length {
  name: string;
  part: number;
  /** Where it begins and ends: the sum of those before it, on the figure before. */
  from: number;
  to: number;
  /** A group that is opened. */
  group?: string;
  stands_out?: boolean;
}

export const nameOf = (factor: string) => NAMES[factor] ?? factor;

/** A difference with its sign; of shares in points. */
export function apart(answer: Difference, value: number | null): string {
  if (value === null) return '—';
  const sign = value > 0 ? '+' : '';
  return answer.unit === 'share'
    ? `${sign}${decimal(100 * value)} points`
    : `${sign}${figure(answer, value)}`;
}

export function figure(answer: Difference, value: number | null): string {
  return answer.unit === 'money' && value !== null && Math.abs(value) >= 1000
    ? inUnits(value.toFixed(0), 'money')
    : inUnits(value, answer.unit);
}

/** The figure of a factor or a group; a factor is no amount unless it is an average one. */
export function ofPart(answer: Difference, part: MadeBy, value: number | null): string {
  if (value === null) return '—';
  if (part.name === 'orders_per_customer') return decimal(value, 2);
  return part.name in NAMES && part.name !== 'average_order_value' && part.name !== 'all'
    ? inUnits(value, 'count')
    : figure(answer, value);
}

/** Parts one after the other, from the figure before to the figure after. */
export function lengths(before: number, parts: readonly Omit<Length, 'from' | 'to'>[]): Length[] {
  let reached = before;
  return parts.map((each) => {
    const from = reached;
    reached += each.part;
    return { ...each, from, to: reached };
  });
}

/** The parts that are drawn: those of the groups, or of the factors where there is no field. A rate without groups has
 * none, and neither have groups that do not add up. */
export function partsOf(answer: Difference): Omit<Length, 'from' | 'to'>[] {
  if (answer.groups.length === 0 || !answer.adds_up)
    return answer.factors.map((each) => ({ name: nameOf(each.name), part: each.difference ?? 0 }));
  const [drawn, others] = [answer.groups.slice(0, DRAWN_MOST), answer.groups.slice(DRAWN_MOST)];
  const rest = others.reduce((sum, each) => sum + (each.difference ?? 0), 0);
  return [
    ...drawn.map((each) => ({
      name: each.name,
      part: each.difference ?? 0,
      group: each.name,
      stands_out: each.stands_out,
    })),
    ...(others.length > 0 ? [{ name: `${others.length} others`, part: rest }] : []),
  ];
}
