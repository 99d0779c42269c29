/** The cells of the cohort table as plain values: thousands of them are made at once. */
import type { Schemas } from '$lib/api/client';
import { periodName, shortPeriodName } from '$lib/format/dates';
import { rounded } from '$lib/format/figures';
import { yearOf } from '$lib/periods';
import { ageAt, allText, allValues, cellText, firstColumn, type Fit, type Ramp } from './gridLayout';
import { cellId } from './pointed';

type Cohorts = Schemas['CohortsShape'];
type Row = Schemas['CohortRowShape'];

export interface Cell {
  id: string;
  age: number;
  text: string;
  label: string | undefined;
  looks: string;
}

/** The cells of a row from one column to another. */
export function cellsOf(
  { answer, fit, tones }: { answer: Cohorts; fit: Fit; tones: Ramp },
  row: Row,
  place: number,
  from: number,
  to: number,
): Cell[] {
  if (row.size === 0) return [];
  const cells: Cell[] = [];
  for (let column = from; column < to; column += 1) {
    const age = ageAt(answer, place, column);
    const text = cellText(answer, row, age, fit.woven ? Infinity : fit.cellWidth);
    const running = age >= row.complete ? ' partial' : '';
    const odd = row.odd.length > 0 && row.odd.includes(age) ? ' odd' : '';
    cells.push({
      id: cellId({ row: place, age }),
      age,
      text: fit.woven ? '' : text,
      label: fit.woven ? text : undefined,
      looks: `figure ramp-${tones.tone(row.values[age] ?? null)}${running}${odd}`,
    });
  }
  return cells;
}

/** The figures over all cohorts in the first form that fits every column; the line under the table is exact. */
export function footTexts(answer: Cohorts, fit: Fit): string[] {
  const values = allValues(answer);
  const wide = (fit.cellWidth - 4) / (fit.cellWidth < 24 ? 4.9 : 7.2);
  const exact = values.map((value) => allText(answer, value, fit.cellWidth < 40));
  const rough = values.map((value) => (value === null ? '' : rounded(value)));
  const fits = (texts: string[]) =>
    texts.slice(firstColumn(answer)).every((text) => text.length <= Math.ceil(wide));
  return fits(exact) ? exact : answer.unit !== 'share' && fits(rough) ? rough : [];
}

const begins = (period: string, first: boolean) =>
  first || !period.includes('-') || /-(01|Q1|W01|01-0[1-7]\/P7D)$/.test(period);

/** Every so many rows have room for their cohort's name. */
export const labelEvery = (fit: Fit) => (fit.woven ? Math.max(1, Math.ceil(13 / fit.rowHeight)) : 1);

/** The name of a row's cohort, as much of it as there is room for. */
export function rowLabel(cohort: string, row: number, fit: Fit): string {
  if (labelEvery(fit) === 1) return shortPeriodName(cohort, row === 0);
  return begins(cohort, row === 0) ? periodName(cohort) : '';
}

/** The name of a column: an age or a period, as much of it as there is room for. */
export function headLabel(answer: Cohorts, column: number, fit: Fit, isPointed: boolean): string {
  if (!answer.by_calendar) {
    const every = fit.cellWidth >= 24 ? 1 : fit.cellWidth >= 12 ? 3 : 6;
    return column % every === 0 || isPointed || column === firstColumn(answer) ? String(column) : '';
  }
  const period = answer.periods[column] ?? '';
  if (fit.cellWidth >= 44) return shortPeriodName(period, column === 0);
  return begins(period, column === 0) ? yearOf(period) : '';
}
