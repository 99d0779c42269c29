/** The question about new and returning as the address holds it. */
import { address } from '$lib/address.svelte';
import type { paths } from '$lib/api/generated';
import type { StretchQuery } from '$src/trace/trace';

export type NewnessQuery = NonNullable<paths['/api/books/{book}/newness']['get']['parameters']['query']>;
export type Side = NonNullable<StretchQuery['side']>;

const SINGLE = ['period', 'measure', 'view', 'split'] as const;
const SIDES: readonly string[] = ['new', 'returning', 'won_back', 'all'];

export interface Opened {
  at: string;
  side: Side;
  group: string;
}

class NewnessQuestion {
  /** The query as the API takes it; the server checks it and says what is wrong. */
  readonly query = $derived(address.choices(SINGLE) as NewnessQuery);

  readonly opened = $derived.by((): Opened | null => {
    const [at, side = 'all', ...group] = (address.query.get('open') ?? '').split('~');
    return at && SIDES.includes(side) ? { at, side: side as Side, group: group.join('~') } : null;
  });

  /** Set a choice. What was opened belongs to the old periods, so it is closed when these change. */
  choose(name: string, values: string[]): void {
    if (name === 'split') address.change({ split: values[0] === '' ? null : values, open: null });
    else if (name === 'period') address.change({ period: values, open: null });
    else address.choose(name, values);
  }

  open(at: string, side: Side, group = ''): void {
    address.change({ open: `${at}~${side}${group ? `~${group}` : ''}` });
  }

  close(): void {
    address.change({ open: null });
  }
}

export const question = new NewnessQuestion();
