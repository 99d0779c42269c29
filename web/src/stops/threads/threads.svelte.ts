/** The Threads question as the address holds it. */
import { address } from '$lib/address.svelte';

export const VIEWS = ['customers', 'orders', 'figures', 'pairs', 'backdated'] as const;
export type View = (typeof VIEWS)[number];

/** The choices that each view's own sentence states. */
const OWN: Record<View, { single: string[]; several: string[] }> = {
  customers: { single: ['by', 'direction'], several: ['show'] },
  orders: { single: ['which', 'by', 'direction'], several: ['show'] },
  figures: { single: ['group'], several: [] },
  pairs: { single: ['rows', 'columns', 'extreme'], several: [] },
  backdated: { single: [], several: [] },
};
const ALL_OWN = [...new Set(Object.values(OWN).flatMap(({ single, several }) => [...single, ...several]))];

class ThreadQuestion {
  readonly view = $derived.by((): View => {
    const asked = address.query.get('view');
    return VIEWS.find((view) => view === asked) ?? 'customers';
  });

  /** The query as the API takes it; the server checks it and says what is wrong. */
  readonly query = $derived(address.choices(OWN[this.view].single, OWN[this.view].several));

  /** The customer whose page is open. */
  readonly customer = $derived.by(() => {
    const asked = Number(address.query.get('customer'));
    return Number.isInteger(asked) && asked > 0 ? asked : null;
  });

  /** Set a choice. Another view begins with its own usual choices; another field, with its usual sequence. */
  choose(name: string, values: string[]): void {
    if (name === 'view') {
      const cleared = Object.fromEntries(ALL_OWN.map((own) => [own, null]));
      address.change({ ...cleared, view: values, customer: null });
    } else if (name === 'by') address.change({ by: values, direction: null });
    else if (name === 'show' && values.length === 0) address.change({ show: [''] });
    else address.choose(name, name === 'show' ? values.filter(Boolean) : values);
  }

  /** Show the orders that a group or pair counts: one order of each customer under a further condition. */
  narrow(condition: string): void {
    const known = address.query.get('where');
    const both = known ? `(${known}) AND ${condition}` : condition;
    const cleared = Object.fromEntries(ALL_OWN.map((own) => [own, null]));
    address.change({ ...cleared, view: 'customers', where: both });
  }

  open(customer: number): void {
    address.change({ customer: String(customer) }, this.customer === null);
  }

  close(): void {
    address.change({ customer: null });
  }
}

export const question = new ThreadQuestion();
