/** Columns stacked over periods: geometry and marks; nothing here touches the page. */
import { max } from 'd3-array';
import { scaleLinear, type ScaleLinear } from 'd3-scale';

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
  y: ScaleLinear<number, number>;
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

/** Where every part of every column stands. */
export function stack(series: Series[], { step, top, bottom, shares, most }: Measures): Stack {
  const length = series[0]?.values.length ?? 0;
  const totals = totalsOf(series);
  const y = scaleLinear([0, shares ? 1 : most || max(totals) || 1], [bottom, top]);
  if (!shares) y.nice(4);
  const gap = step > 6 ? Math.min(6, step * 0.18) : step > 2 ? 0.5 : 0;
  const reached = new Array<number>(length).fill(0);
  let begun = [...reached];
  const boxes = series.map((each) => {
    if (!each.within) begun = [...reached];
    return each.values.map((value, at) => {
      const scale = shares ? 1 / (totals[at] || 1) : 1;
      const from = each.within ? (begun[at] ?? 0) : (reached[at] ?? 0);
      const to = from + Math.max(0, value) * scale;
      if (!each.within) reached[at] = to;
      return { x: at * step + gap / 2, y: y(to), width: step - gap, height: y(from) - y(to) };
    });
  });
  return { y, boxes };
}

/** A scale from 0 with round ends; one of shares never goes beyond the whole. */
export function shareScale(
  range: [number, number],
  top: number,
  shares: boolean,
): ScaleLinear<number, number> {
  const scale = scaleLinear([0, top], range).nice(3);
  return shares && (scale.domain()[1] ?? 0) > 1 ? scale.domain([0, 1]) : scale;
}

/** What each column comes to. */
export function totalsOf(series: Series[]): number[] {
  const whole = series.filter((each) => !each.within);
  return Array.from({ length: series[0]?.values.length ?? 0 }, (_, at) =>
    whole.reduce((sum, each) => sum + Math.max(0, each.values[at] ?? 0), 0),
  );
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
