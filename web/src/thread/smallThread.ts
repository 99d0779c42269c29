/** Geometry of small threads: one shared time axis, knots sized by amount. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { dayNumber, isoOf, monthOf } from '$lib/format/dates';

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

/** Radius of a knot: its area grows with the amount, up to what is large in the book. */
export function knotRadius(amount: string, large: string): number {
  const share = Math.min(1, Math.max(0, Number(amount)) / Math.max(Number(large), Number.MIN_VALUE));
  return SMALLEST + (LARGEST - SMALLEST) * Math.sqrt(share);
}

const LABEL_WIDTH = 78;
const MONTH_STEPS = [1, 3, 6, 12, 24, 60, 120, 240];

/** Months that a thread's axis names, so many as there is room for. */
export function dayTicks(scale: TimeScale, width: number): { day: number; x: number; label: string }[] {
  const [first = 0, last = 1] = scale.domain();
  const from = isoOf(first);
  const months = (last - first) / 30.44;
  const most = Math.max(1, Math.floor(width / LABEL_WIDTH));
  const step = MONTH_STEPS.find((each) => months / each <= most) ?? 240;
  const begin = Number(from.slice(0, 4)) * 12 + Number(from.slice(5, 7)) - 1;
  const ticks = [];
  for (let month = Math.ceil(begin / step) * step; ; month += step) {
    const iso = `${Math.floor(month / 12)}-${String((month % 12) + 1).padStart(2, '0')}-01`;
    const day = dayNumber(iso);
    if (day > last) return ticks;
    const x = scale(day);
    if (day >= first && x >= LABEL_WIDTH / 2 - 8 && x <= width - LABEL_WIDTH / 2 + 8)
      ticks.push({ day, x, label: monthOf(iso) });
  }
}
