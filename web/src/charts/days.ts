/** Days on an axis. */
const TICKS = [30, 60, 90, 180, 365, 730, 1825, 3650];
const MOST_TICKS = 8;

/** Days that the axis names: whole months or years, as many as can be read. */
export function dayTicks(last: number): number[] {
  const step = TICKS.find((days) => last / days <= MOST_TICKS) ?? 3650;
  return Array.from({ length: Math.floor(last / step) + 1 }, (_, at) => at * step);
}
