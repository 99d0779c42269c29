/** The selected member of a list: who it is, what its keys do, and what is typed about whom and not yet saved. */
import { Keyed } from '$lib/commands.svelte';
import { withLatest } from '$lib/kept';
import { question } from '$lib/question.svelte';

export interface Draft {
  note?: string;
  channel?: string;
  callOn?: string;
}

/** More members than this are not kept as half-typed. */
const MOST_DRAFTS = 50;

class Hand {
  /** Its keys act in the rows and in its panel, and nowhere else. */
  readonly keys = new Keyed();
  #drafts = $state.raw<ReadonlyMap<string, Draft>>(new Map());

  /** The member: a customer's number in the address. */
  get customer(): number | null {
    const [first = ''] = question.opened;
    return question.name === 'worked' && /^\d{1,15}$/.test(first) ? Number(first) : null;
  }

  take(customer: number): void {
    question.set({ open: String(customer) }, false);
  }

  draft(list: number, customer: number): Draft {
    return this.#drafts.get(`${list} ${customer}`) ?? {};
  }

  /** Keep what is typed; an empty draft says that nothing is. */
  keep(list: number, customer: number, draft: Draft): void {
    const typed = Object.keys(draft).length > 0 ? draft : undefined;
    this.#drafts = withLatest(this.#drafts, `${list} ${customer}`, typed, MOST_DRAFTS);
  }
}

export const hand = new Hand();
