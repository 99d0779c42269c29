/** The customers behind one figure, fetched page by page as the list is scrolled. */
import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
import type { paths } from '$lib/api/generated';

export type BehindQuery = paths['/api/books/{book}/cohorts/behind']['get']['parameters']['query'];
const PAGE = 60;

export class Behind {
  head = $state.raw<Schemas['OpenedShape']>();
  problem = $state.raw<Problem>();
  stale = $state(false);
  #pages = $state.raw<ReadonlyMap<number, Schemas['ThreadShape'][]>>(new Map());
  #asked = new Set<number>();
  #request = new AbortController();

  constructor(readonly book: number) {}

  /** Open another figure. The old one stays, dimmed, until the new one is here. */
  async open(query: BehindQuery): Promise<void> {
    this.#request.abort();
    this.#request = new AbortController();
    this.stale = true;
    this.#asked = new Set([0]);
    const head = await this.#fetch(query, 0);
    if (!head) return;
    this.head = head;
    this.problem = undefined;
    this.#pages = new Map([[0, head.threads]]);
    this.stale = false;
  }

  /** Make sure that some rows are here, or on their way. */
  want(query: BehindQuery, from: number, to: number): void {
    for (let page = Math.floor(from / PAGE); page <= Math.floor(Math.max(from, to - 1) / PAGE); page += 1) {
      if (!this.#asked.has(page) && !this.stale) void this.#more(query, page);
    }
  }

  /** The thread in a row, once it is here. */
  thread(row: number): Schemas['ThreadShape'] | undefined {
    return this.#pages.get(Math.floor(row / PAGE))?.[row % PAGE];
  }

  async #more(query: BehindQuery, page: number): Promise<void> {
    this.#asked.add(page);
    const found = await this.#fetch(query, page);
    if (found) this.#pages = new Map(this.#pages).set(page, found.threads);
  }

  async #fetch(query: BehindQuery, page: number): Promise<Schemas['OpenedShape'] | undefined> {
    const { signal } = this.#request;
    try {
      return await told(
        api.GET('/api/books/{book}/cohorts/behind', {
          params: { path: { book: this.book }, query: { ...query, offset: page * PAGE, limit: PAGE } },
          signal,
        }),
      );
    } catch (error) {
      if (!signal.aborted) {
        this.problem = problemOf(error);
        this.stale = false;
      }
      return undefined;
    }
  }
}
