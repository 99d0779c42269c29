/** Time to the next order: what stands at the curves and under them, in words. */
import type { Schemas } from '$lib/api/client';
import { count, percent } from '$lib/format/figures';

export type NextOrder = Schemas['NextOrderShape'];
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
  const share = curve.share[place] ?? null;
  if (share === null) return 'no data that far';
  const [low, high] = [curve.low[place] ?? null, curve.high[place] ?? null];
  const range = low === null || high === null ? '' : ` (${percent(low)} to ${percent(high)})`;
  return `${percent(share)} % by day ${answer.ages[place]}${range}`;
}

/** When half of a group had ordered again. */
export function halfWords(curve: Curve): string {
  return curve.half_by === null
    ? 'fewer than half have ordered again so far'
    : curve.half_by === 0
      ? 'half ordered again on the same day'
      : `half have ordered again by day ${count(curve.half_by)}`;
}
