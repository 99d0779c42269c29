/** Where customers stand: names, tones, and how bands and the threads between them are laid out. */
import type { Schemas } from '$lib/api/client';
import { periodName } from '$lib/format/dates';
import { count, counted, percent } from '$lib/format/figures';

export type Stands = Schemas['Stands'];
export type Flow = Schemas['Flow'];
export type Over = NonNullable<Schemas['StandingShape']['over']>;
export type Group = Schemas['StandingGroupShape'];

export const STANDS: readonly Stands[] = ['active', 'lapsed', 'never_ordered', 'none_counted'];
export const NAMES: Record<Stands, string> = {
  active: 'active',
  lapsed: 'lapsed',
  never_ordered: 'never ordered',
  none_counted: 'no counted order',
};
export const FLOWS: Record<Flow, string> = {
  began: 'began',
  became_lapsed: 'newly lapsed',
  won_back: 'won back',
  came_on_file: 'came on file without an order',
  none_counted: 'placed only orders that do not count',
};
/** Steps of the ramp; what never ordered is hatched besides. */
export const TONES: Record<Stands, number> = { active: 7, lapsed: 4, never_ordered: 1, none_counted: 0 };

/** One stretch of a band. */
export interface Stretch {
  stands: Stands;
  customers: number;
  x: number;
  width: number;
}

const NARROWEST = 3;

/** Some standings side by side over a width, each as long as it has customers; nobody's is left out. */
export function stretches(customers: readonly number[], width: number): Stretch[] {
  const there = STANDS.flatMap((stands, at) =>
    (customers[at] ?? 0) > 0 ? [{ stands, customers: customers[at] ?? 0 }] : [],
  );
  const whole = there.reduce((sum, each) => sum + each.customers, 0);
  const room = width - NARROWEST * there.length;
  let x = 0;
  return there.map((each) => {
    const placed = { ...each, x, width: NARROWEST + (room * each.customers) / whole };
    x += placed.width;
    return placed;
  });
}

/** A group's share that lapsed, with its range: 43 % (38 to 48). */
export function lapsedWords(group: Group): string {
  if (group.lapsed_share === null) return 'nobody has ordered';
  const range =
    group.low === null || group.high === null ? '' : ` (${percent(group.low)} to ${percent(group.high)})`;
  return `${percent(group.lapsed_share)} %${range}`;
}

/** One period in words: where customers stood at its end, and who moved in it. */
export function periodWords(over: Over, at: number): string {
  const period = over.periods[at];
  if (!period) return '';
  const stood = STANDS.flatMap((stands, place) =>
    (period.customers[place] ?? 0) > 0 ? [`${count(period.customers[place] ?? 0)} ${NAMES[stands]}`] : [],
  );
  const moved = over.flows.flatMap((flow, place) =>
    (period.flows[place] ?? 0) > 0 ? [`${count(period.flows[place] ?? 0)} ${FLOWS[flow]}`] : [],
  );
  const running = over.partial && at === over.periods.length - 1 ? ', still running' : '';
  return `${periodName(period.period)}${running}: ${stood.join(', ')} · ${moved.join(', ') || 'nobody moved'}`;
}

export interface Cloth {
  /** The band above the threads stands on `floor`, the one below hangs from `ceiling`. */
  floor: number;
  ceiling: number;
  /** Pixels for a customer. */
  scale: number;
}

const PASSAGE = 76;

/** How high two bands can be above and below the passage of the threads between them. */
export function clothOf(over: Over, top: number, bottom: number): Cloth {
  const most = (places: number[]) =>
    Math.max(
      1,
      ...over.periods.map(({ customers }) => places.reduce((sum, at) => sum + (customers[at] ?? 0), 0)),
    );
  const above = most([0]);
  const below = most([1, 2, 3]);
  const scale = Math.max(0, bottom - top - PASSAGE) / (above + below);
  const floor = top + above * scale;
  return { floor, ceiling: floor + PASSAGE, scale };
}

/** A band over periods as a path of steps: `from` and `to` are how far its edges stand from its rest, in customers. */
export function bandPath(
  edges: readonly { from: number; to: number }[],
  step: number,
  rest: number,
  scale: number,
): string {
  const there = edges.map(({ from, to }, at) => ({ at, from: rest + from * scale, to: rest + to * scale }));
  const out = there.map(({ at, to }) => `L${n(at * step)} ${n(to)}L${n((at + 1) * step)} ${n(to)}`);
  const back = [...there]
    .reverse()
    .map(({ at, from }) => `L${n((at + 1) * step)} ${n(from)}L${n(at * step)} ${n(from)}`);
  return there.length ? `M${out.join('').slice(1)}${back.join('')}Z` : '';
}

/** A thread from one band to the other: a soft S, as broad as it has customers. */
export function threadPath(x: number, from: number, to: number, lean: number): string {
  const middle = (from + to) / 2;
  return `M${n(x)} ${n(from)}C${n(x)} ${n(middle)} ${n(x + lean)} ${n(middle)} ${n(x + lean)} ${n(to)}`;
}

function n(value: number): string {
  return value.toFixed(1);
}

/** What a limit in days would make of the customers with orders: 1 027 of 2 207 (47 %). */
export function limitWords(lapsed: number, customers: number): string {
  return `${count(lapsed)} of ${counted(customers, 'customer')} (${customers ? percent(lapsed / customers) : 0} %)`;
}
