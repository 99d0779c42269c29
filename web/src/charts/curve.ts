import { area, curveLinear, curveStepAfter, line } from 'd3-shape';

/** A point of a curve: `at` an age or a column, `low` and `high` the ends of its band. */
export interface CurvePoint {
  at: number;
  value: number;
  low: number | null;
  high: number | null;
}

type Place = (value: number) => number;

/** The points from `first` on that have a value. */
export function pointsFrom(
  first: number,
  values: (number | null)[],
  low: (number | null)[],
  high: (number | null)[],
): CurvePoint[] {
  return values.flatMap((value, at) =>
    value === null || at < first ? [] : [{ at, value, low: low[at] ?? null, high: high[at] ?? null }],
  );
}

/** The path through some points; `stepped` where a value holds until the next one. */
export function curvePath(points: CurvePoint[], x: Place, y: Place, stepped = false): string {
  const path = line<CurvePoint>(
    (point) => x(point.at),
    (point) => y(point.value),
  ).curve(stepped ? curveStepAfter : curveLinear);
  return path(points) ?? '';
}

/** The band around some points, broken where one has none and cut at `top`. */
export function bandPath(points: CurvePoint[], x: Place, y: Place, top: number, stepped = false): string {
  const path = area<CurvePoint>()
    .curve(stepped ? curveStepAfter : curveLinear)
    .defined((point) => point.low !== null && point.high !== null)
    .x((point) => x(point.at))
    .y0((point) => y(point.low ?? 0))
    .y1((point) => Math.max(top, y(point.high ?? 0)));
  return path(points) ?? '';
}
