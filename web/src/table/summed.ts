/** What the selected rows of a table come to, column by column. */
import { readNumber } from '$lib/format/reader';
import { decimal } from '$lib/format/figures';

/** A figure and what follows it: 41 %, 45 d, 2.5 ×. */
const FIGURE = /^(.*?)(\s*(?:%|d|×))?$/;

export interface Summed {
  sum: string;
  mean: string;
  median: string;
  /** How many of the rows have a figure. */
  count: number;
}

/** Sum, mean and median of the figures that some cells show, as exactly as they show them; cells without one are left
 * out. Undefined where none has one, or one is no figure. */
export function summed(cells: string[]): Summed | undefined {
  const told = cells.filter((cell) => cell !== '' && cell !== '—');
  const parts = told.map((cell) => FIGURE.exec(cell) ?? []);
  const figures = parts.map(([, figure = '']) => readNumber(figure).value);
  const unit = parts[0]?.[2] ?? '';
  if (figures.length === 0 || parts.some(([, , other = '']) => other !== unit)) return undefined;
  if (figures.some((figure) => figure === undefined)) return undefined;
  const places = Math.max(...figures.map((figure) => figure?.split('.')[1]?.length ?? 0));
  const values = figures.map(Number).sort((one, other) => one - other);
  // whole numbers of the last place shown add up exactly
  const total = values.reduce((sum, value) => sum + Math.round(value * 10 ** places), 0) / 10 ** places;
  const [low = 0, high = 0] = [values[(values.length - 1) >> 1], values[values.length >> 1]];
  const say = (value: number, exact: number) => `${decimal(value, exact)}${unit}`;
  const finer = Math.max(places, 1);
  return {
    // shares, ratios and days since something make no sum
    sum: unit ? '' : say(total, places),
    mean: say(total / values.length, finer),
    median: say((low + high) / 2, low === high ? places : finer),
    count: values.length,
  };
}
