/** How the cohort table is laid out and coloured; nothing here touches the page. */
import type { Schemas } from '$lib/api/client';
import { percent } from '$lib/format/figures';
import { inCell } from '$lib/format/units';
import { extentOf } from '$src/charts/scales';

type Cohorts = Schemas['CohortsShape'];
type Row = Schemas['CohortRowShape'];

export const LABEL_WIDTH = 96;
export const SIZE_WIDTH = 74;
export const BACK_WIDTH = 62;
/** Everything left of the cells. */
export const LEFT_WIDTH = LABEL_WIDTH + SIZE_WIDTH + BACK_WIDTH;
export const HEAD_HEIGHT = 26;
export const ALL_HEIGHT = 30;
/** The curve of the averages, under them on the same columns. */
export const CURVE_HEIGHT = 112;
/** What stands at the foot as one. */
export const FOOT_HEIGHT = ALL_HEIGHT + CURVE_HEIGHT;
export const RAMP_STEPS = 10;
export const BELOW_STEPS = 5;
const ROW_HEIGHT = 27;
const LOWEST_ROW = 16.5;
const EXACT_MONEY = 58;
const WIDEST_CELL = 74;
const SMALLEST_WOVEN = { width: 7, height: 6 };
/** What a figure needs when the whole table has to fit, and what it gets when the table may be scrolled. */
const NARROWEST = { share: 28, count: 32, number: 32, money: 38 } as const;
const COMFORTABLE = { share: 44, count: 48, number: 48, money: 74 } as const;

export interface Fit {
  /** Tones without figures. */
  woven: boolean;
  /** Some figure is not shown in full. */
  abridged: boolean;
  scrolls: boolean;
  cellWidth: number;
  rowHeight: number;
}

/** Figures in every cell when they fit or are wanted; else a weave that shows all cells at once, by tone. */
export function fit(answer: Cohorts, width: number, height: number, wantsFigures: boolean): Fit {
  const columns = Math.max(1, columnCount(answer));
  const rows = Math.max(1, answer.cohorts.length);
  const roomX = (width - LEFT_WIDTH - 4) / columns;
  const roomY = (height - HEAD_HEIGHT - FOOT_HEIGHT) / rows;
  const needed = (wantsFigures ? COMFORTABLE : NARROWEST)[answer.unit];
  const fits = roomX >= needed && roomY >= (wantsFigures ? ROW_HEIGHT - 3 : LOWEST_ROW);
  if (fits) {
    return {
      woven: false,
      abridged: answer.unit === 'money' && roomX < EXACT_MONEY,
      scrolls: false,
      cellWidth: Math.floor(Math.min(WIDEST_CELL, roomX)),
      rowHeight: Math.min(ROW_HEIGHT, Math.floor(roomY)),
    };
  }
  if (wantsFigures || roomX < SMALLEST_WOVEN.width || roomY < SMALLEST_WOVEN.height) {
    return {
      woven: false,
      abridged: false,
      scrolls: true,
      cellWidth: COMFORTABLE[answer.unit],
      rowHeight: ROW_HEIGHT,
    };
  }
  return {
    woven: true,
    abridged: true,
    scrolls: false,
    cellWidth: Math.floor(roomX),
    rowHeight: Math.min(24, Math.floor(roomY)),
  };
}

export function firstAge(answer: Cohorts): number {
  return answer.first_column_shown ? 0 : 1;
}

/** The first column that has cells: an age, or the place of a calendar period. */
export function firstColumn(answer: Cohorts): number {
  return answer.by_calendar ? 0 : firstAge(answer);
}

export function columnCount(answer: Cohorts): number {
  return Math.max(0, answer.ages_shown - firstColumn(answer));
}

/** The age that a row shows in a column; by calendar, rows begin further right with each period. */
export function ageAt(answer: Cohorts, row: number, column: number): number {
  return answer.by_calendar ? column - row : column;
}

/** The column in which a row shows an age. */
export function columnOf(answer: Cohorts, row: number, age: number): number {
  return answer.by_calendar ? row + age : age;
}

/** The text of a cell; amounts are rounded where their column is too narrow for all digits. */
export function cellText(answer: Cohorts, row: Row, age: number, width: number): string {
  return inCell(row.values[age] ?? null, answer.unit, width < EXACT_MONEY);
}

/** What everybody did in a calendar period: the diagonal. Customers of several cohorts are different people. */
export function diagonal(
  answer: Cohorts,
  place: number,
): { customers: number; orders: number; revenue: number; back: number; earlier: number } {
  const sum = { customers: 0, orders: 0, revenue: 0, back: 0, earlier: 0 };
  answer.cohorts.forEach((row, at) => {
    const age = place - at;
    if (age < 0 || age >= row.customers.length) return;
    sum.customers += row.customers[age] ?? 0;
    sum.orders += row.orders[age] ?? 0;
    sum.revenue += Number(row.revenue[age] ?? 0);
    if (age > 0) {
      sum.back += row.customers[age] ?? 0;
      sum.earlier += row.size;
    }
  });
  return sum;
}

/** The row over all cohorts: by age averages of rates and totals of counts; by calendar what each period came to. */
export function allValues(answer: Cohorts): (number | null)[] {
  if (!answer.by_calendar) return answer.all.values;
  return answer.periods.map((_, place) => {
    const sum = diagonal(answer, place);
    switch (answer.figure) {
      case 'retention':
        return sum.earlier ? sum.back / sum.earlier : null;
      case 'customers':
        return sum.customers;
      case 'orders':
        return sum.orders;
      case 'revenue':
        return sum.revenue;
      case 'average_order_value':
        return sum.orders ? sum.revenue / sum.orders : null;
      default:
        return null;
    }
  });
}

export function allText(answer: Cohorts, value: number | null, narrow: boolean): string {
  if (value === null) return answer.by_calendar ? '' : '—';
  if (answer.unit === 'share') return percent(value, narrow ? 0 : 1);
  return inCell(value, answer.unit, false);
}

/** The tones of the cells. */
export function ramp(answer: Cohorts): Ramp {
  const first = firstAge(answer);
  return rampOf(
    answer.cohorts.map((row) => row.values.slice(first)),
    answer.unit,
  );
}

export interface Ramp {
  /** Rounded ends; the lowest is 0 where nothing is below it. */
  top: number;
  lowest: number;
  /** The name of a value's tone: a step of the ramp, one below zero, or none where there is no value. */
  tone: (value: number | null) => string;
}

export const tones = [
  ...Array.from({ length: BELOW_STEPS }, (_, at) => `below-${BELOW_STEPS - 1 - at}`),
  ...Array.from({ length: RAMP_STEPS }, (_, at) => String(at)),
];

/** One ramp for several tables. A gain and a loss of one size are as dark as each other. */
export function rampOf(rows: (number | null)[][], unit: Cohorts['unit']): Ramp {
  const { lowest, highest } = extentOf(rows.flat());
  const top = unit === 'share' ? Math.ceil(highest * 20) / 20 : highest;
  const whole = Math.max(top, -lowest) || 1;
  const step = (size: number, steps: number) => Math.min(steps - 1, Math.floor((size / whole) * steps));
  return {
    top,
    lowest,
    tone: (value) =>
      value === null
        ? 'none'
        : value < 0
          ? `below-${step(-value, BELOW_STEPS)}`
          : String(step(value, RAMP_STEPS)),
  };
}

/** What a cohort's own share of customers who came back is. */
export function backShare(row: { came_back: number; size: number }): number | null {
  return row.size > 0 ? row.came_back / row.size : null;
}
