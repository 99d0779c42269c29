/** A window of dates while it is dragged: the counts follow it, one question at a time, and the last place is never left
 * out. */
import { askOnce } from '$lib/answer.svelte';
import { problemOf, type Problem, type Schemas } from '$lib/api/client';

export type Counts = Schemas['OrderCountsShape'];
export interface Dates {
  from: string;
  to: string;
}

export class LiveWindow {
  /** Where the window is while it is dragged. */
  dates = $state.raw<Dates>();
  /** The counts of the last place that was answered. */
  answer = $state.raw<Counts>();
  problem = $state.raw<Problem>();
  #asked: Dates | undefined;
  #busy = false;
  #request = new AbortController();

  /** Move to some dates; `query` is everything else that is asked. */
  move(book: number, query: object, dates: Dates): void {
    this.dates = dates;
    if (!this.#busy) void this.#follow(book, query);
  }

  /** Let go: what is asked from now on is the address's own. */
  rest(): void {
    this.#request.abort();
    this.#request = new AbortController();
    this.dates = undefined;
    this.answer = undefined;
    this.problem = undefined;
    this.#asked = undefined;
  }

  async #follow(book: number, query: object): Promise<void> {
    this.#busy = true;
    const { signal } = this.#request;
    try {
      while (this.dates && this.dates !== this.#asked && !signal.aborted) {
        this.#asked = this.dates;
        const answer = await askOnce('counts', book, { ...query, ...this.#asked }, signal);
        if (this.#request.signal === signal) this.answer = answer;
      }
    } catch (error) {
      if (!signal.aborted) this.problem = problemOf(error);
    } finally {
      this.#busy = false;
    }
  }
}
