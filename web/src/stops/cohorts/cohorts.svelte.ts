/** The cohort question as the address holds it. */
import { address } from '$lib/address.svelte';
import type { paths } from '$lib/api/generated';

export type CohortQuery = NonNullable<paths['/api/books/{book}/cohorts']['get']['parameters']['query']>;

const SINGLE = [
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
] as const;
/** What was opened belongs to the old cells, so it is closed when one of these changes. */
const CLOSES = ['period', 'ages', 'split'];
export const ALL = 'all';

export interface Opened {
  cohort: string;
  age: string;
  group: string;
}

class CohortQuestion {
  /** The query as the API takes it; the server checks it and says what is wrong. */
  readonly query = $derived(address.choices(SINGLE) as CohortQuery);

  readonly opened = $derived.by((): Opened | null => {
    const [cohort, age, ...group] = (address.query.get('open') ?? '').split('~');
    return cohort && age !== undefined ? { cohort, age, group: group.join('~') } : null;
  });

  readonly layout = $derived(address.query.get('table') === 'figures' ? 'figures' : 'fitted');

  choose(name: string, values: string[]): void {
    if (name === 'split')
      address.change({ split: values[0] === '' ? null : values, against: null, open: null });
    else if (CLOSES.includes(name)) address.change({ [name]: values, open: null });
    else address.choose(name, values);
  }

  open(cohort: string, age: number | string, group = ''): void {
    address.change({ open: `${cohort}~${age}${group ? `~${group}` : ''}` });
  }

  close(): void {
    address.change({ open: null });
  }

  lay(layout: 'figures' | 'fitted'): void {
    address.change({ table: layout === 'figures' ? layout : null }, false);
  }
}

export const question = new CohortQuestion();
