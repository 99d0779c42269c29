/** Gaps as drawings: one axis of days for all rows, and the bars of a row. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import type { Schemas } from '$lib/api/client';
import { trimmed } from '$lib/format/cells';

type Group = Schemas['GapGroupShape'];
export type GapScale = (days: number) => number;

const TICKS = [0, 1, 3, 7, 14, 30, 60, 90, 180, 365, 730, 1095, 1825, 3650, 7300];
const TICK_ROOM = 34;
/** The first name is longer: 0 days. */
const FIRST_ROOM = 52;

/** Days on an axis that stretches the first weeks: equal steps are about equal factors. */
export function gapScale(longest: number, width: number): GapScale {
  const scale: ScaleLinear<number, number> = scaleLinear(
    [0, Math.log1p(Math.max(1, longest + 1))],
    [4, width - 4],
  );
  return (days) => scale(Math.log1p(days));
}

/** Days that the axis names, as many as there is room for. */
export function gapTicks(scale: GapScale, longest: number): number[] {
  const ticks: number[] = [];
  for (const days of TICKS) {
    const before = ticks.at(-1);
    if (
      days <= longest &&
      (before === undefined || scale(days) - scale(before) >= (before === 0 ? FIRST_ROOM : TICK_ROOM))
    )
      ticks.push(days);
  }
  return ticks;
}

/** One bin of a row: where it stands, how thick the cloth is there, and whether it is of the middle half. */
export interface Bar {
  x: number;
  width: number;
  /** Of the row's thickest, from 0 to 1. */
  thick: number;
  shortest: number;
  longest: number;
  gaps: number;
  middle: boolean;
}

/** The bars of a row: as thick as there are gaps for each pixel of the axis. */
export function bars(group: Group, edges: number[], longest: number, scale: GapScale): Bar[] {
  const { lower_quartile: low, upper_quartile: high } = group.statistics;
  const placed = group.bins.map((gaps, at) => {
    const shortest = edges[at] ?? 0;
    const until = (edges[at + 1] ?? longest + 1) - 1;
    const [x, end] = [scale(shortest), scale(until + 1)];
    return {
      x,
      width: Math.max(1, end - x),
      shortest,
      longest: until,
      gaps,
      per: gaps / Math.max(1, end - x),
    };
  });
  const most = Math.max(...placed.map(({ per }) => per), Number.MIN_VALUE);
  return placed
    .filter(({ gaps }) => gaps > 0)
    .map(({ per, ...each }) => ({
      ...each,
      thick: per / most,
      middle: each.longest >= low && each.shortest <= high,
    }));
}

/** Days as people say them: 61, 40.5. */
export function days(value: number): string {
  return trimmed(value);
}
