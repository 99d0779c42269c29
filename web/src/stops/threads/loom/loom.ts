/** The loom: where threads and their knots lie, and how they are drawn on a canvas. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import type { Schemas } from '$lib/api/client';
import type { Range } from './ranges';

export type LoomAnswer = Schemas['LoomShape'];

/** Tones from light to dark for numbers; for labels, warm and cool by turns, so that neighbours differ. */
export const NUMBER_TONES = ['--ramp-3', '--ramp-4', '--ramp-5', '--ramp-6', '--ramp-7', '--ramp-9'];
export const LABEL_TONES = ['--ramp-7', '--below-3', '--ramp-5', '--ramp-9', '--below-2', '--ramp-3'];

/** Drawn threads from one to below the other. */
interface Drawn {
  from: number;
  to: number;
}

/** The drawn threads that lie in a range of the whole sequence, or all of them. */
export function drawnOf(answer: Pick<LoomAnswer, 'places'>, range: Range | undefined): Drawn {
  if (!range) return { from: 0, to: answer.places.length };
  return { from: firstAtLeast(answer.places, range.first), to: firstAtLeast(answer.places, range.last + 1) };
}

/** The first of some ascending numbers that is not below a value. */
function firstAtLeast(ascending: readonly number[], value: number): number {
  let [low, high] = [0, ascending.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((ascending[middle] ?? 0) < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The range of the whole sequence that some drawn threads stand for: those between them that are not drawn, too. */
export function rangeOf(answer: Pick<LoomAnswer, 'places' | 'count'>, from: number, to: number): Range {
  const first = answer.places[from] ?? 0;
  const next = answer.places[to + 1];
  return { first, last: next === undefined ? answer.count - 1 : next - 1 };
}

export interface Loom extends Drawn {
  /** Pixels from the top of one thread to the next. */
  row: number;
  x: ScaleLinear<number, number>;
  /** From which day on a thread is laid: its own first one, or the axis's. */
  origin: (at: number) => number;
}

/** Threads laid into a box; days count from the axis's first date, or from each first order. */
export function laid(
  answer: LoomAnswer,
  { from, to }: Drawn,
  width: number,
  height: number,
  lastDay: number,
): Loom {
  const byFirst = answer.align === 'first';
  return {
    from,
    to,
    row: height / Math.max(1, to - from),
    x: scaleLinear([0, Math.max(1, lastDay)], [4, width - 6]),
    origin: (at) => (byFirst ? (answer.days[answer.starts[at] ?? 0] ?? 0) : 0),
  };
}

class Paths {
  readonly lines = new Path2D();
  readonly tails = new Path2D();
  readonly knots = new Path2D();
}

const BLANK_ALPHA = 0.4;
/** Where threads lie close, their lines step back behind the orders. */
const DENSE_ALPHA = 0.35;
/** From this height of a row on there is room for the dotted tail. */
const TAIL_ROW = 4;

/** Draw all threads: one path of lines, of tails and of knots for each tone; threads without a tone are faint. */
export function draw(
  context: CanvasRenderingContext2D,
  answer: LoomAnswer,
  { from, to, row, x, origin }: Loom,
  colours: string[],
  lastDay: number,
): void {
  const height = Math.min(9, Math.max(1, row * 0.72));
  const width = row < 2 ? 1.6 : Math.min(5, 2 + row / 4);
  const byTone = new Map<number, Paths>();
  for (let at = from; at < to; at += 1) {
    const tone = answer.tones[at] ?? 0;
    const paths = byTone.get(tone) ?? new Paths();
    byTone.set(tone, paths);
    const [begin, end] = [answer.starts[at] ?? 0, answer.starts[at + 1] ?? 0];
    const [zero, y] = [origin(at), (at - from + 0.5) * row];
    const place = (nth: number) => x((answer.days[nth] ?? 0) - zero);
    paths.lines.moveTo(place(begin), y);
    paths.lines.lineTo(place(end - 1), y);
    for (let nth = begin; nth < end; nth += 1)
      paths.knots.rect(place(nth) - width / 2, y - height / 2, width, height);
    if (row < TAIL_ROW) continue;
    paths.tails.moveTo(place(end - 1) + 3, y);
    paths.tails.lineTo(x(lastDay - zero), y);
  }
  context.lineWidth = Math.min(1.5, Math.max(0.35, row * 0.4));
  for (const [tone, { lines, tails, knots }] of byTone) {
    const colour = colours[Math.max(0, tone)] ?? '';
    const alpha = tone < 0 ? BLANK_ALPHA : 1;
    context.strokeStyle = colour;
    context.fillStyle = colour;
    context.globalAlpha = row < TAIL_ROW ? alpha * DENSE_ALPHA : alpha;
    context.stroke(lines);
    context.globalAlpha = alpha;
    context.setLineDash([1.5, 4]);
    context.stroke(tails);
    context.setLineDash([]);
    context.fill(knots);
  }
  context.globalAlpha = 1;
}
