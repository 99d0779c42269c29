/** The cohort question as the address holds it. */
import { address } from '$lib/address.svelte';
import type { paths } from '$lib/api/generated';

export type CohortQuery = NonNullable<paths['/api/books/{book}/cohorts']['get']['parameters']['query']>;

const SINGLE = ['period', 'ages', 'figure', 'average', 'first_column'] as const;
export const ALL = 'all';

export interface Opened {
  cohort: string;
  age: string;
}

class CohortQuestion {
  /** The query as the API takes it; the server checks it and says what is wrong. */
  readonly query = $derived(address.choices(SINGLE) as CohortQuery);

  readonly opened = $derived.by((): Opened | null => {
    const [cohort, age] = (address.query.get('open') ?? '').split('~');
    return cohort && age !== undefined ? { cohort, age } : null;
  });

  readonly layout = $derived(address.query.get('table') === 'figures' ? 'figures' : 'fitted');

  /** Set a choice. What was opened belongs to the old table, so it is closed when periods or ages change. */
  choose(name: string, values: string[]): void {
    const closes = name === 'period' || name === 'ages';
    if (closes) address.change({ [name]: values, open: null });
    else address.choose(name, values);
  }

  open(cohort: string, age: number | string): void {
    address.change({ open: `${cohort}~${age}` });
  }

  close(): void {
    address.change({ open: null });
  }

  lay(layout: 'figures' | 'fitted'): void {
    address.change({ table: layout === 'figures' ? layout : null }, false);
  }
}

export const question = new CohortQuestion();
