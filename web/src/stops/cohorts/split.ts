/** Groups of a split: how their differences read in words. */
import type { Schemas } from '$lib/api/client';
import { counted, percent } from '$lib/format/figures';
import { later } from './readings';

type Cohorts = Schemas['CohortsShape'];
type Group = Schemas['SplitGroupShape'];

export function onceShare(group: Group): number {
  return group.customers ? group.once / group.customers : 0;
}

/** What one group did more or less than the one it is compared with, at one age. */
export function differenceWords(answer: Cohorts, group: Group, age: number): string {
  const against = answer.split?.against ?? '';
  const [more, low, high] = [group.more[age], group.more_low[age], group.more_high[age]];
  if (typeof more !== 'number' || typeof low !== 'number' || typeof high !== 'number')
    return 'nothing complete to compare yet';
  const bounds = `95 % confidence interval ${points(low)} to ${points(high)}`;
  if (low <= 0 && high >= 0) return `no significant difference from ${against} (${bounds})`;
  return `${percent(Math.abs(more), 1)} points ${more > 0 ? 'more' : 'less'} than ${against} (${bounds})`;
}

function points(value: number): string {
  return `${value < 0 ? '−' : value > 0 ? '+' : ''}${percent(Math.abs(value), 1)}`;
}

/** One line about a group at an age. */
export function groupWords(answer: Cohorts, group: Group, age: number): string {
  const value = group.values[age] ?? null;
  const rests = counted(group.rests_on_customers[age] ?? 0, 'customer');
  if (answer.totalled) return later(answer, age);
  if (value === null) return `${later(answer, age)}: no cohort is complete yet`;
  return `over ${rests}`;
}

/** The age at which groups are compared until one is pointed at: the first that is complete for most. */
export function usualAge(answer: Cohorts): number {
  return answer.ages_shown > 3 ? 3 : Math.max(1, answer.ages_shown - 1);
}
