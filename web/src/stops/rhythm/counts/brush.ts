/** Where a brush on the months of a book stands: days and pixels, and what keys do to its ends. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { dayNumber, isoOf } from '$lib/format/dates';

export type End = 'from' | 'to';
export type DayScale = ScaleLinear<number, number>;

/** Days across a width: from the first day to the end of the last month. */
export function dayScale(firstDay: number, lastDay: number, width: number): DayScale {
  return scaleLinear([firstDay, lastDay + 1], [0, width]);
}

/** How near to a month's end the brush is drawn to it, in pixels. */
const SNAP = 5;

/** The day at a pixel; drawn to the first of a month for the window's beginning, to a month's last day for its end. */
export function dayAt(scale: DayScale, x: number, end: End, starts: readonly number[]): number {
  const [first = 0, beyond = 1] = scale.domain();
  // the end of a window lies behind its last day
  const edges = [...starts, beyond];
  const near = edges.find((day) => Math.abs(scale(day) - x) <= SNAP);
  const day = near ?? Math.round(scale.invert(x));
  return Math.min(beyond - 1, Math.max(first, end === 'from' ? day : day - 1));
}

/** The window moved as a whole by some days, kept inside the book. */
export function moved(
  window: { from: number; to: number },
  days: number,
  first: number,
  last: number,
): { from: number; to: number } {
  const by = Math.min(last - window.to, Math.max(first - window.from, days));
  return { from: window.from + by, to: window.to + by };
}

const KEYS: Record<string, number> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };

/** Where a key moves an end: a month, or with Shift a day; undefined for a key that moves nothing. */
export function steppedDay(
  key: string,
  shift: boolean,
  end: End,
  day: number,
  first: number,
  last: number,
): number | undefined {
  if (key === 'Home') return first;
  if (key === 'End') return last;
  const by = KEYS[key];
  if (by === undefined) return undefined;
  const next = shift ? day + by : end === 'from' ? monthsOn(day, by) : monthsOn(day + 1, by) - 1;
  return Math.min(last, Math.max(first, next));
}

/** The first of the next month, or of the month that a day is in, or of the one before where it is the first. */
function monthsOn(day: number, by: number): number {
  const iso = isoOf(day);
  const month = Number(iso.slice(0, 4)) * 12 + Number(iso.slice(5, 7)) - 1;
  const isFirst = iso.endsWith('-01');
  const next = by > 0 ? month + 1 : isFirst ? month - 1 : month;
  return dayNumber(`${Math.floor(next / 12)}-${String((next % 12) + 1).padStart(2, '0')}-01`);
}
