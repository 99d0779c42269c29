/** Columns stacked over periods: geometry and marks; nothing here touches the page. */
import { max, min } from 'd3-array';
import { valueScale, type ValueScale } from './scales';

export interface Series {
  key: string;
  label: string;
  values: number[];
  /** A step of the ramp. */
  tone: number;
  /** Drawn over the series before it, as a part of it. */
  within?: boolean;
  hatched?: boolean;
}

export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface Stack {
  y: ValueScale;
  boxes: Box[][];
}

export interface Measures {
  step: number;
  top: number;
  bottom: number;
  /** Parts are shares of each column's own total. */
  shares: boolean;
  /** The largest total, when several charts share a scale; 0 for this chart's own. */
  most: number;
}

/** Where every part of every column stands: amounts are stacked up from 0, losses down from it. */
export function stack(series: Series[], { step, top, bottom, shares, most }: Measures): Stack {
  const length = series[0]?.values.length ?? 0;
  const totals = totalsOf(series);
  const highest = shares ? 1 : most || (max(totals.above) ?? 0);
  const lowest = shares ? 0 : (min(totals.below) ?? 0);
  const y = valueScale([bottom, top], { lowest, highest }, shares, 4);
  const gap = step > 6 ? Math.min(6, step * 0.18) : step > 2 ? 0.5 : 0;
  const above = new Array<number>(length).fill(0);
  const below = new Array<number>(length).fill(0);
  let begun = [...above];
  const boxes = series.map((each) => {
    if (!each.within) begun = [...above];
    return each.values.map((value, at) => {
      const reached = value < 0 ? below : above;
      const scale = shares ? 1 / (totals.above[at] || 1) : 1;
      const from = each.within ? (begun[at] ?? 0) : (reached[at] ?? 0);
      const to = from + (shares ? Math.max(0, value) : value) * scale;
      if (!each.within) reached[at] = to;
      const [high, low] = [y(Math.max(from, to)), y(Math.min(from, to))];
      return { x: at * step + gap / 2, y: high, width: step - gap, height: low - high };
    });
  });
  return { y, boxes };
}

/** What each column comes to above 0, and below it. */
export function totalsOf(series: Series[]): { above: number[]; below: number[] } {
  const whole = series.filter((each) => !each.within);
  const summed = (part: (value: number) => number) =>
    Array.from({ length: series[0]?.values.length ?? 0 }, (_, at) =>
      whole.reduce((sum, each) => sum + part(each.values[at] ?? 0), 0),
    );
  return { above: summed((value) => Math.max(0, value)), below: summed((value) => Math.min(0, value)) };
}

/** Many boxes as one path. */
export function pathOf(boxes: Box[]): string {
  return boxes
    .filter((box) => box.height > 0)
    .map((box) => `M${n(box.x)} ${n(box.y)}h${n(box.width)}v${n(box.height)}h${n(-box.width)}z`)
    .join('');
}

function n(value: number): string {
  return value.toFixed(1);
}
