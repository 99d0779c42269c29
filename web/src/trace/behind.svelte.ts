/** The customers behind one figure, fetched page by page as the list is scrolled; and the database's own count of it. */
import { problemOf, type Problem, type Schemas } from '$lib/api/client';
import type { Trace } from './trace';

const PAGE = 60;

export class Behind {
  head = $state.raw<Schemas['OpenedShape']>();
  recounted = $state.raw<Schemas['RecountedShape']>();
  problem = $state.raw<Problem>();
  stale = $state(false);
  #trace: Trace | undefined;
  #pages = $state.raw<ReadonlyMap<number, Schemas['ThreadShape'][]>>(new Map());
  #asked = new Set<number>();
  #request = new AbortController();

  constructor(readonly book: number) {}

  /** Open another figure. The old one stays, dimmed, until the new one is here; then the database counts it again. */
  async open(trace: Trace): Promise<void> {
    this.#request.abort();
    this.#request = new AbortController();
    this.#trace = trace;
    this.stale = true;
    this.#asked = new Set([0]);
    const head = await this.#fetch(0);
    if (!head || this.#trace !== trace) return;
    this.head = head;
    this.recounted = undefined;
    this.problem = undefined;
    this.#pages = new Map([[0, head.threads]]);
    this.stale = false;
    await this.#recount(trace);
  }

  /** Make sure that some rows are here, or on their way. */
  want(from: number, to: number): void {
    for (let page = Math.floor(from / PAGE); page <= Math.floor(Math.max(from, to - 1) / PAGE); page += 1) {
      if (!this.#asked.has(page) && !this.stale) void this.#more(page);
    }
  }

  /** The thread in a row, once it is here. */
  thread(row: number): Schemas['ThreadShape'] | undefined {
    return this.#pages.get(Math.floor(row / PAGE))?.[row % PAGE];
  }

  async #more(page: number): Promise<void> {
    this.#asked.add(page);
    const found = await this.#fetch(page);
    if (found) this.#pages = new Map(this.#pages).set(page, found.threads);
  }

  async #fetch(page: number): Promise<Schemas['OpenedShape'] | undefined> {
    const { signal } = this.#request;
    return this.#unlessAborted(signal, () => this.#trace?.page(page * PAGE, PAGE, signal));
  }

  async #recount(trace: Trace): Promise<void> {
    const { signal } = this.#request;
    const found = await this.#unlessAborted(signal, () => trace.recount(signal));
    if (found && this.#trace === trace && !signal.aborted) this.recounted = found;
  }

  async #unlessAborted<T>(signal: AbortSignal, work: () => Promise<T> | undefined): Promise<T | undefined> {
    try {
      return await work();
    } catch (error) {
      if (!signal.aborted) {
        this.problem = problemOf(error);
        this.stale = false;
      }
      return undefined;
    }
  }
}
