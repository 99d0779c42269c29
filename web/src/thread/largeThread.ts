/** Geometry of the large thread: places of orders on an axis of days, knots by amount, labels that do not collide. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import type { Schemas } from '$lib/api/client';
import { dayNumber } from '$lib/format/dates';
import { extentOf } from '$src/charts/scales';

export type Axis = 'calendar' | 'elapsed';
export type Scale = ScaleLinear<number, number>;

export interface Span {
  first: number;
  last: number;
}

export const MARGIN = { left: 18, right: 30 };
const LARGEST = 13;
const SMALLEST = 2.6;
const AHEAD = 0.08;
/** As far in as the keys and the wheel go: a fortnight. */
const SHORTEST_DAYS = 14;

/** From the first order to the as-of date or the day on which the next order is due, with some air. */
export function wholeSpan(page: Schemas['CustomerShape']): Span {
  const asOf = dayNumber(page.as_of);
  const begins = [page.knots[0]?.date, page.payments[0]?.date].filter((date) => date !== undefined).sort()[0];
  const first = begins ? dayNumber(begins) : asOf - 30;
  const due = typeof page.facts.next_due === 'string' ? dayNumber(page.facts.next_due) : asOf;
  const length = Math.max(asOf - first, SHORTEST_DAYS);
  return { first, last: Math.max(asOf, Math.min(due, asOf + length * 0.25)) + length * AHEAD };
}

/** A span after zooming at a place or moving along, kept within the whole. */
export function zoomed(span: Span, whole: Span, factor: number, at = (span.first + span.last) / 2): Span {
  const length = Math.min(
    whole.last - whole.first,
    Math.max(SHORTEST_DAYS, (span.last - span.first) * factor),
  );
  const share = (at - span.first) / (span.last - span.first);
  return kept({ first: at - share * length, last: at + (1 - share) * length }, whole);
}

export function moved(span: Span, whole: Span, share: number): Span {
  const by = (span.last - span.first) * share;
  return kept({ first: span.first + by, last: span.last + by }, whole);
}

function kept({ first, last }: Span, whole: Span): Span {
  const length = last - first;
  const begin = Math.min(Math.max(first, whole.first), whole.last - length);
  return { first: begin, last: begin + length };
}

export function dayScale(span: Span, width: number): Scale {
  return scaleLinear([span.first, span.last], [MARGIN.left, width - MARGIN.right]);
}

/** Radius of each knot: its area by the amount, smaller where many stand close. */
export function radii(page: Schemas['CustomerShape'], width: number): number[] {
  const amounts = page.knots.map((each) => Math.max(0, Number(each.amount)));
  const top = Math.max(1, extentOf(amounts).highest);
  const room = Math.min(LARGEST, Math.max(5, (width / Math.max(1, amounts.length)) * 0.75));
  return amounts.map((amount) => Math.max(SMALLEST, room * Math.sqrt(amount / top)));
}

/** Whether each label has room, taken in sequence: it must not touch the last one that was placed. */
export function fitting(places: { x: number; width: number }[], low: number, high: number): boolean[] {
  let free = low;
  return places.map(({ x, width }) => {
    const fits = x - width / 2 >= free && x + width / 2 <= high;
    if (fits) free = x + width / 2 + 3;
    return fits;
  });
}
