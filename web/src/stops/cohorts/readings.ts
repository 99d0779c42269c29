/** The words for a place in the table: the cell itself, and the three ways to read on from it. */
import type { Schemas } from '$lib/api/client';
import { periodName } from '$lib/format/dates';
import { count, counted, money, nounFor, percent } from '$lib/format/figures';
import { inUnits } from '$lib/format/units';
import { eventsOver, ofCalendar, spoken } from '$lib/periods';
import { diagonal } from './gridLayout';
import type { Pointed } from './pointed';

type Cohorts = Schemas['CohortsShape'];

export interface Reading {
  way: string;
  words: string;
  /** What is opened from here: a cohort and an age, all, or a period. */
  opens: [string, string] | null;
}

/** How far a column is from the first order, in words. */
export function later(answer: Cohorts, age: number): string {
  const unit = answer.ages === 'calendar' ? spoken(answer.period) : `span of the ${spoken(answer.period)}`;
  return age === 0 ? `in the first ${unit}` : `${counted(age, unit)} later`;
}

function range(low: number | null | undefined, high: number | null | undefined): string {
  return typeof low !== 'number' || typeof high !== 'number'
    ? ''
    : ` (95 % confidence interval ${percent(low)} to ${percent(high)})`;
}

/** The line about one cell, or about one column. */
export function describe(answer: Cohorts, { row, age, part }: Pointed): string {
  if (part) return sentenceOf(row < 0 ? ofAll(answer) : alongRow(answer, row));
  if (row < 0) return answer.by_calendar ? alongDiagonal(answer, age) : downColumn(answer, age);
  const cohort = answer.cohorts[row];
  if (!cohort || age >= cohort.customers.length) return '';
  const notes = [
    age >= cohort.complete ? 'still running' : '',
    cohort.odd.includes(age) ? 'out of line, check this' : '',
    cohort.small ? 'small cohort' : '',
  ].filter(Boolean);
  const value = cohort.values[age] ?? null;
  const figure = answer.totalled
    ? ''
    : `${inUnits(value, answer.unit, 0)}${range(cohort.low[age], cohort.high[age])}; `;
  const who = `${count(cohort.customers[age] ?? 0)} of ${counted(cohort.size, 'customer')} ordered`;
  const what = `${counted(cohort.orders[age] ?? 0, 'order')}, ${money(cohort.revenue[age] ?? '0')} ${answer.currency}`;
  return [`${periodName(cohort.cohort)}, ${later(answer, age)}: ${figure}${who}, ${what}`, ...notes].join(
    ' · ',
  );
}

function downColumn(answer: Cohorts, age: number): string {
  const all = answer.all;
  const what = `${counted(all.orders[age] ?? 0, 'order')} of ${counted(all.customers[age] ?? 0, 'customer')}, ${money(all.revenue[age] ?? '0')} ${answer.currency}`;
  if (answer.totalled) return `All cohorts, ${later(answer, age)}: ${what}.`;
  const value = all.values[age] ?? null;
  if (value === null) return `All cohorts, ${later(answer, age)}: none is complete here yet.`;
  const rests = `${count(all.cohorts[age] ?? 0)} complete ${nounFor(all.cohorts[age] ?? 0, 'cohort')} of ${counted(all.rests_on_customers[age] ?? 0, 'customer')}`;
  return `All cohorts, ${later(answer, age)}: ${inUnits(value, answer.unit)}${range(all.low[age], all.high[age])} on average, over ${rests}.`;
}

/** All cohorts as one. */
function ofAll(answer: Cohorts): string {
  const back = answer.customers ? ` (${percent(answer.all.came_back / answer.customers, 1)} %)` : '';
  return `of ${counted(answer.customers, 'customer')} of all cohorts, ${count(answer.all.came_back)}${back} came back at all.`;
}

function sentenceOf(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}

function alongRow(answer: Cohorts, row: number): string {
  const cohort = answer.cohorts[row];
  if (!cohort) return '';
  const back = cohort.size ? ` (${percent(cohort.came_back / cohort.size)} %)` : '';
  const apart = cohort.apart
    ? ` Up to ${cohort.apart.age} ${spoken(answer.period)}s later ${percent(cohort.apart.share)} %, its neighbours ${percent(cohort.apart.neighbours_share)} %: check this.`
    : '';
  return `of ${counted(cohort.size, 'customer')} of ${periodName(cohort.cohort)}, ${count(cohort.came_back)}${back} came back at all.${apart}`;
}

function alongDiagonal(answer: Cohorts, place: number): string {
  const sum = diagonal(answer, place);
  const names = answer.events.length ? eventsIn(answer, place) : '';
  return `In ${periodName(answer.periods[place] ?? '')}, ${counted(sum.orders, 'order')} of ${counted(sum.customers, 'customer')}, ${count(sum.back)} of them back from earlier; ${money(sum.revenue.toFixed(2))} ${answer.currency}.${names}`;
}

function eventsIn(answer: Cohorts, place: number): string {
  const found = eventsOver([answer.periods[place] ?? ''], answer).flatMap((each) => each.labels);
  return found.length ? ` Event: ${found.join(', ')}.` : '';
}

/** Along, down and along the diagonal, for the place that is pointed at. */
export function threeReadings(answer: Cohorts, pointed: Pointed | null): Reading[] {
  const cohort = pointed && pointed.row >= 0 ? answer.cohorts[pointed.row] : undefined;
  const age = pointed && !pointed.part && (pointed.row >= 0 || !answer.by_calendar) ? pointed.age : null;
  const place =
    pointed && !pointed.part && answer.ages === 'calendar'
      ? pointed.row >= 0
        ? pointed.row + pointed.age
        : answer.by_calendar
          ? pointed.age
          : null
      : null;
  const [down, slanting] = answer.by_calendar
    ? ['Along the diagonal', 'Down a column']
    : ['Down a column', 'Along the diagonal'];
  const readings: Reading[] = [
    {
      way: 'Along a row',
      words: cohort ? alongRow(answer, pointed?.row ?? 0) : 'one cohort as it grows older.',
      opens: cohort ? [cohort.cohort, 'all'] : null,
    },
    {
      way: down,
      words: age === null ? 'all cohorts at the same age.' : lower(downColumn(answer, age)),
      opens: age === null ? null : ['all', String(age)],
    },
  ];
  if (answer.ages === 'calendar')
    readings.push({
      way: slanting,
      words:
        place === null
          ? `one ${ofCalendar(answer.period)}, whoever ordered in it.`
          : lower(alongDiagonal(answer, place)),
      opens: place === null ? null : ['all', answer.periods[place] ?? 'all'],
    });
  return readings;
}

function lower(words: string): string {
  return words.charAt(0).toLowerCase() + words.slice(1);
}
