/** The selected member of a list: who it is, what its keys do, and what is typed about whom and not yet saved. */
import { commands, isTyping } from '$lib/commands.svelte';
import { question } from '$lib/question.svelte';

export interface Draft {
  note?: string;
  channel?: string;
  callOn?: string;
}

/** More members than this are not kept as half-typed. */
const MOST_DRAFTS = 50;

class Hand {
  readonly #acts = new Map<string, () => void>();
  #drafts = $state.raw<ReadonlyMap<string, Draft>>(new Map());

  /** The member: a customer's number in the address. */
  get customer(): number | null {
    const [first = ''] = question.opened;
    return question.name === 'worked' && /^\d{1,15}$/.test(first) ? Number(first) : null;
  }

  take(customer: number): void {
    question.set({ open: String(customer) }, false);
  }

  /** Answer a key until the returned function is called. */
  on(key: string, act: () => void): () => void {
    this.#acts.set(key, act);
    return () => {
      if (this.#acts.get(key) === act) this.#acts.delete(key);
    };
  }

  pressed = (event: KeyboardEvent): void => {
    if (!commands.single || isTyping(event)) return;
    const act = this.#acts.get(event.key);
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };

  draft(list: number, customer: number): Draft {
    return this.#drafts.get(`${list} ${customer}`) ?? {};
  }

  /** Keep what is typed; an empty draft says that nothing is. */
  keep(list: number, customer: number, draft: Draft): void {
    const drafts = new Map(this.#drafts);
    drafts.delete(`${list} ${customer}`);
    if (Object.keys(draft).length > 0) drafts.set(`${list} ${customer}`, draft);
    this.#drafts = new Map([...drafts].slice(-MOST_DRAFTS));
  }
}

export const hand = new Hand();
