/** A long answer, fetched page by page as its list is scrolled. The old one stays, dimmed, until the new one is here. */
import { problemOf, type Problem } from './api/client';

export const PAGE = 60;
/** Pages that are kept; those left longest ago are asked for again when they are needed. */
const MOST_PAGES = 60;

type Fetch<Head> = (offset: number, limit: number, signal: AbortSignal) => Promise<Head>;

export class Pages<Head, Row> {
  /** The first page, with all that the answer says of itself. */
  answer = $state.raw<Head>();
  problem = $state.raw<Problem>();
  /** The answer is to an earlier question. */
  stale = $state(false);
  #pages = $state.raw<ReadonlyMap<number, Row[]>>(new Map());
  #asked = new Set<number>();
  #request = new AbortController();
  #fetch: Fetch<Head> | undefined;
  readonly #rowsOf: (head: Head) => Row[];

  constructor(rowsOf: (head: Head) => Row[]) {
    this.#rowsOf = rowsOf;
  }

  /** Ask a question, or the same one after a change. Gives whether its answer came. */
  async open(fetch: Fetch<Head>): Promise<boolean> {
    this.#request.abort();
    this.#request = new AbortController();
    this.#fetch = fetch;
    this.stale = true;
    this.#asked = new Set([0]);
    const head = await this.#page(0);
    if (!head) return false;
    this.answer = head;
    this.problem = undefined;
    this.#pages = new Map([[0, this.#rowsOf(head)]]);
    this.stale = false;
    return true;
  }

  /** Ask the same question again, after it failed. */
  again = (): void => {
    if (this.#fetch) void this.open(this.#fetch);
  };

  /** Ask for what is here again, without letting go of it meanwhile: the same question after a change. */
  refresh = async (): Promise<void> => {
    if (!this.answer || this.stale) return;
    const request = this.#request;
    const numbers = [...new Set([0, ...this.#pages.keys()])];
    const found = await Promise.all(numbers.map((page) => this.#page(page)));
    const [head] = found;
    if (request !== this.#request || !head) return;
    this.answer = head;
    this.problem = undefined;
    this.#pages = new Map(
      numbers.flatMap((page, at) => {
        const each = found[at];
        return each ? [[page, this.#rowsOf(each)] as const] : [];
      }),
    );
  };

  /** Make sure that some rows are here, or on their way. */
  want(from: number, to: number): void {
    if (this.stale || !this.answer) return;
    for (let page = Math.floor(from / PAGE); page <= Math.floor(Math.max(from, to - 1) / PAGE); page += 1)
      if (!this.#asked.has(page)) void this.#more(page);
  }

  /** A row, once it is here. */
  row(at: number): Row | undefined {
    return this.#pages.get(Math.floor(at / PAGE))?.[at % PAGE];
  }

  /** The signal that ends with the question. */
  get signal(): AbortSignal {
    return this.#request.signal;
  }

  async #more(page: number): Promise<void> {
    this.#asked.add(page);
    const found = await this.#page(page);
    if (!found) {
      this.#asked.delete(page);
      return;
    }
    const pages = new Map(this.#pages).set(page, this.#rowsOf(found));
    for (const oldest of [...pages.keys()].slice(0, Math.max(0, pages.size - MOST_PAGES))) {
      pages.delete(oldest);
      this.#asked.delete(oldest);
    }
    this.#pages = pages;
  }

  async #page(page: number): Promise<Head | undefined> {
    const { signal } = this.#request;
    try {
      return await this.#fetch?.(page * PAGE, PAGE, signal);
    } catch (error) {
      if (!signal.aborted) {
        this.problem = problemOf(error);
        this.stale = false;
      }
      return undefined;
    }
  }
}
