/** What the selected rows of a table come to, column by column. */
import { readNumber } from '$lib/format/reader';
import { decimal } from '$lib/format/figures';

const UNIT = /\s*(?:%|d|×)$/;

/** The figure that a cell shows, as plain decimal text, and what follows it: 41 %, 45 d, 2.5 ×. */
export function figureIn(cell: string): { figure: string | undefined; unit: string } {
  const unit = UNIT.exec(cell)?.[0] ?? '';
  return { figure: readNumber(cell.slice(0, cell.length - unit.length)).value, unit };
}

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
  const found = told.map(figureIn);
  const unit = found[0]?.unit ?? '';
  const figures = found.flatMap((each) => (each.unit === unit ? (each.figure ?? []) : []));
  if (figures.length === 0 || figures.length < told.length) return undefined;
  const places = Math.max(...figures.map((figure) => figure.split('.')[1]?.length ?? 0));
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
