/** A long list, fetched page by page as it is scrolled. The old rows stay, dimmed, until the new ones are here. */
import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';

const PAGE = 60;
type List = Schemas['ListShape'];
export type ListView = 'customers' | 'orders' | 'backdated';
type Query = Record<string, string | string[]>;

export class Rows {
  head = $state.raw<List>();
  problem = $state.raw<Problem>();
  stale = $state(false);
  #pages = $state.raw<ReadonlyMap<number, List['rows']>>(new Map());
  #asked = new Set<number>();
  #request = new AbortController();
  #view: ListView = 'customers';
  #query: Query = {};

  constructor(readonly book: number) {}

  /** Ask for a list, or for the same one after a change. */
  async open(view: ListView, query: Query): Promise<void> {
    this.#request.abort();
    this.#request = new AbortController();
    this.stale = true;
    this.#asked = new Set([0]);
    this.#view = view;
    this.#query = query;
    const head = await this.#fetch(0);
    if (!head) return;
    this.head = head;
    this.problem = undefined;
    this.#pages = new Map([[0, head.rows]]);
    this.stale = false;
  }

  /** Make sure that some rows are here, or on their way. */
  want(from: number, to: number): void {
    if (this.stale) return;
    for (let page = Math.floor(from / PAGE); page <= Math.floor(Math.max(from, to - 1) / PAGE); page += 1) {
      if (!this.#asked.has(page)) void this.#more(page);
    }
  }

  /** A row, once it is here. */
  row(at: number): List['rows'][number] | undefined {
    return this.#pages.get(Math.floor(at / PAGE))?.[at % PAGE];
  }

  async #more(page: number): Promise<void> {
    this.#asked.add(page);
    const found = await this.#fetch(page);
    if (found) this.#pages = new Map(this.#pages).set(page, found.rows);
  }

  async #fetch(page: number): Promise<List | undefined> {
    const { signal } = this.#request;
    const path = { book: this.book };
    const query = { ...this.#query, offset: page * PAGE, limit: PAGE };
    try {
      return await told(
        api.GET(`/api/books/{book}/threads/${this.#view}`, { params: { path, query }, signal }),
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
