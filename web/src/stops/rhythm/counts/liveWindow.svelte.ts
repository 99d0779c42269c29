/** A window of dates while it is dragged: the counts follow it, one question at a time, and the last place is never left
 * out. */
import { askOnce } from '$lib/answer.svelte';
import { problemOf, type Problem, type Schemas } from '$lib/api/client';

export type Counts = Schemas['OrderCountsShape'];
export interface Dates {
  from: string;
  to: string;
}

class LiveWindow {
  /** Where the window is while it is dragged. */
  dates = $state.raw<Dates>();
  /** The counts of the last place that was answered. */
  answer = $state.raw<Counts>();
  problem = $state.raw<Problem>();
  isLetGo = $state(false);
  #asked: Dates | undefined;
  #busy = false;
  #request = new AbortController();

  /** Move to some dates; `query` is everything else that is asked. */
  move(book: number, query: object, dates: Dates): void {
    this.dates = dates;
    this.isLetGo = false;
    if (!this.#busy) void this.#follow(book, query);
  }

  /** Let go: it stays until the address's own answer is here. */
  letGo(): void {
    this.isLetGo = true;
  }

  /** What is shown from now on is the address's own. */
  rest(): void {
    this.isLetGo = false;
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

/** The window that is being dragged, if one is. */
export const live = new LiveWindow();
