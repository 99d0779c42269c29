/** How the cohort table is laid out and coloured; nothing here touches the page. */
import type { Schemas } from '$lib/api/client';
import { count, money, percent, rounded } from '$lib/format/figures';

type Cohorts = Schemas['CohortsShape'];
type Row = Schemas['CohortRowShape'];

export const LABEL_WIDTH = 96;
export const SIZE_WIDTH = 74;
export const HEAD_HEIGHT = 26;
export const ALL_HEIGHT = 30;
/** Between the row over all cohorts and a weave, so that the first row's name has room. */
export const WOVEN_GAP = 7;
export const RAMP_STEPS = 10;
const ROW_HEIGHT = 27;
const LOWEST_ROW = 16.5;
const EXACT_REVENUE = 58;
const WIDEST_CELL = 74;
const SMALLEST_WOVEN = { width: 7, height: 6 };
/** What a figure needs when the whole table has to fit, and what it gets when the table may be scrolled. */
const NARROWEST = { retention: 28, customers: 32, orders: 32, revenue: 38 } as const;
const COMFORTABLE = { retention: 44, customers: 48, orders: 48, revenue: 74 } as const;

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
  const columns = Math.max(1, answer.ages_shown - firstAge(answer));
  const rows = Math.max(1, answer.cohorts.length);
  const roomX = (width - LABEL_WIDTH - SIZE_WIDTH - 4) / columns;
  const roomY = (height - HEAD_HEIGHT - ALL_HEIGHT - WOVEN_GAP) / rows;
  const needed = (wantsFigures ? COMFORTABLE : NARROWEST)[answer.figure];
  const fits = roomX >= needed && roomY >= (wantsFigures ? ROW_HEIGHT - 3 : LOWEST_ROW);
  if (fits) {
    return {
      woven: false,
      abridged: answer.figure === 'revenue' && roomX < EXACT_REVENUE,
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
      cellWidth: COMFORTABLE[answer.figure],
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

/** The number that a cell shows, for its colour. */
export function valueOf(answer: Cohorts, row: Row, age: number): number {
  switch (answer.figure) {
    case 'retention':
      return row.retention_rate[age] ?? 0;
    case 'customers':
      return row.customers[age] ?? 0;
    case 'orders':
      return row.orders[age] ?? 0;
    case 'revenue':
      return Number(row.revenue[age] ?? 0);
  }
}

/** The text of a cell; revenue is rounded where its column is too narrow for all digits. */
export function cellText(answer: Cohorts, row: Row, age: number, width: number): string {
  switch (answer.figure) {
    case 'retention':
      return percent(row.retention_rate[age] ?? null);
    case 'revenue':
      return width < EXACT_REVENUE
        ? rounded(valueOf(answer, row, age))
        : money(row.revenue[age] ?? '0', true);
    case 'customers':
    case 'orders':
      return count(valueOf(answer, row, age));
  }
}

/** The row over all cohorts: averages of rates, totals of counts. */
export function allValues(answer: Cohorts): (number | null)[] {
  switch (answer.figure) {
    case 'retention':
      return answer.all.retention_rate;
    case 'customers':
      return answer.all.customers;
    case 'orders':
      return answer.all.orders;
    case 'revenue':
      return answer.all.revenue.map(Number);
  }
}

export function allText(answer: Cohorts, age: number, narrow: boolean): string {
  const value = allValues(answer)[age] ?? null;
  if (answer.figure === 'retention') return percent(value, narrow ? 0 : 1);
  if (answer.figure === 'revenue') return money(answer.all.revenue[age] ?? '0', true);
  return value === null ? '—' : count(value);
}

/** A rounded top of the ramp, and the step of a value on it. */
export function ramp(answer: Cohorts): { top: number; step: (value: number) => number } {
  const first = firstAge(answer);
  let top = 0;
  for (const row of answer.cohorts) {
    for (let age = first; age < row.customers.length; age += 1)
      top = Math.max(top, valueOf(answer, row, age));
  }
  if (answer.figure === 'retention') top = Math.ceil(top * 20) / 20;
  const step = (value: number) =>
    Math.max(0, Math.min(RAMP_STEPS - 1, Math.floor((value / (top || 1)) * RAMP_STEPS)));
  return { top, step };
}

/** Indices of a list that a scrolled window shows, with a margin. */
export function windowOf(scroll: number, room: number, size: number, length: number): [number, number] {
  const margin = 4;
  return [
    Math.max(0, Math.floor(scroll / size) - margin),
    Math.min(length, Math.ceil((scroll + room) / size) + margin),
  ];
}
