/** Scales of charts: from 0 up, and below it where there is something below it. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';

export type ValueScale = ScaleLinear<number, number>;

export interface Extent {
  lowest: number;
  highest: number;
}

/** The lowest and highest of some values, 0 among them; nulls say nothing. A plain pass: there may be any number. */
export function extentOf(values: Iterable<number | null | undefined>): Extent {
  const extent = { lowest: 0, highest: 0 };
  for (const value of values) {
    if (value === null || value === undefined || !Number.isFinite(value)) continue;
    if (value < extent.lowest) extent.lowest = value;
    if (value > extent.highest) extent.highest = value;
  }
  return extent;
}

/** A scale with round ends that holds 0; one of shares never goes beyond the whole. `range` is foot and top in pixels. */
export function valueScale(
  range: [number, number],
  { lowest, highest }: Extent,
  shares = false,
  ticks = 3,
): ValueScale {
  const top = highest === 0 && lowest === 0 ? 1 : highest;
  const scale = scaleLinear([lowest, top], range).nice(ticks);
  const [from = 0, to = 1] = scale.domain();
  return shares && to > 1 ? scale.domain([from, 1]) : scale;
}
