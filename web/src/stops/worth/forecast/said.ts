/** Figures of a forecast in words. */
import type { Schemas } from '$lib/api/client';
import { count, money, percent } from '$lib/format/figures';

export type Forecast = Schemas['ForecastShape'];

/** An amount without its cents, or a count. */
export const figure = ({ is_money }: Forecast, value: number) =>
  is_money ? money(value.toFixed(0), true) : count(Math.round(value));

/** Its 95 % interval; empty where there is none. */
export const bounds = (answer: Forecast, { low, high }: { low: number | null; high: number | null }) =>
  low === null || high === null ? '' : `${figure(answer, low)} to ${figure(answer, high)}`;

/** How far a past forecast was from what came: +4 %, −12 %. */
export function off(error: number | null): string {
  if (error === null) return '—';
  return `${error > 0 ? '+' : error < 0 ? '−' : ''}${percent(Math.abs(error))}\u00a0%`;
}
