/** Geometry of small threads: one shared time axis, knots sized by amount. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { dayNumber } from '$lib/format/dates';

export const THREAD_HEIGHT = 22;
const MARGIN = 7;
const SMALLEST = 1.8;
const LARGEST = 5.4;

export type TimeScale = ScaleLinear<number, number>;

/** Places of days on a thread of some width. */
export function timeScale(firstDate: string, lastDate: string, width: number): TimeScale {
  const first = dayNumber(firstDate);
  return scaleLinear([first, Math.max(dayNumber(lastDate), first + 1)], [MARGIN, width - MARGIN]);
}

/** Radius of a knot: its area grows with the amount, within what a small drawing can show. */
export function knotRadius(amount: string): number {
  return Math.min(LARGEST, Math.max(SMALLEST, 1.2 + Math.sqrt(Math.max(0, Number(amount))) / 8));
}
