/** The cohort question as the address holds it. */
import { address } from '$lib/address.svelte';
import type { QueryOf } from '$lib/answer.svelte';
import { defineQuestion } from '$lib/question.svelte';

export const ALL = 'all';

export interface Opened {
  cohort: string;
  age: string;
  group: string;
}

export const question = defineQuestion<QueryOf<'cohorts'>>({
  single: [
    'period',
    'ages',
    'figure',
    'average',
    'first_column',
    'columns',
    'view',
    'split',
    'against',
    'margin',
    'cac',
  ],
  // what was opened belongs to the old cells
  clears: { split: ['against', 'open'], period: ['open'], ages: ['open'] },
  empties: ['split'],
  looks: ['view', 'columns'],
});

/** What is opened, as the evidence takes it; nothing for an address that names no figure. */
export function openedFigure(): Opened | undefined {
  const [cohort, age, ...group] = question.opened;
  return cohort && age !== undefined ? { cohort, age, group: group.join('~') } : undefined;
}

/** Whether every figure is to be read, even if the table has to be scrolled for it. */
export const showsNumbers = () => address.query.get('table') === 'figures';

export function showNumbers(shown: boolean): void {
  address.change({ table: shown ? 'figures' : null }, false);
}
