/** Time to the next order: what stands at the curves and under them, in words. */
import type { Schemas } from '$lib/api/client';
import { count, percent } from '$lib/format/figures';

export type NextOrder = Schemas['NextOrderShape'];
type Bounded = Record<'share' | 'low' | 'high', number | null | undefined>;
export type Curve = NextOrder['curves'][number];

/** The place in the ages that is nearest to a day. */
export function placeOf(ages: number[], day: number): number {
  let best = 0;
  for (const [at, age] of ages.entries())
    if (Math.abs(age - day) < Math.abs((ages[best] ?? 0) - day)) best = at;
  return best;
}

/** What a curve says at a place: 28 % by day 30 (24 to 32). */
export function shareWords(answer: NextOrder, curve: Curve, place: number): string {
  const [share, low, high] = [curve.share, curve.low, curve.high].map((values) => values[place] ?? null);
  return boundedShare({ share, low, high }, ` by day ${answer.ages[place]}`);
}

/** A share with its interval, and what stands between them. */
export function boundedShare(found: Bounded, by = ''): string {
  if (found.share === null || found.share === undefined) return 'no data that far';
  const { low, high } = found;
  const known = low !== null && low !== undefined && high !== null && high !== undefined;
  return `${percent(found.share)} %${by}${known ? ` (${percent(low)} to ${percent(high)})` : ''}`;
}

/** When half of a group had ordered again. */
export function halfWords(curve: Curve): string {
  return curve.half_by === null
    ? 'fewer than half have ordered again so far'
    : curve.half_by === 0
      ? 'half ordered again on the same day'
      : `half have ordered again by day ${count(curve.half_by)}`;
}
