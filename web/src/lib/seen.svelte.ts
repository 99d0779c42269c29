/** How a book was seen to stand last, whoever said so: the stream of its changes, the list of books, or the reply to a
 * change of one's own. What is shown is asked anew once for each change, and not by each of them. */
import type { QueryClient } from '@tanstack/svelte-query';

interface State {
  /** Grows with every change of the record. */
  revision?: number;
  /** Another text once anything about the lists, or the work on them, changed. */
  lists?: string;
}

class Seen {
  #book = 0;
  #state = $state.raw<State>({});
  /** The state of which everything that is shown was asked. */
  #asked: State = {};

  /** A mark of the book's lists, for whoever asks about them. */
  get lists(): string {
    return this.#state.lists ?? '';
  }

  get now(): State {
    return this.#state;
  }

  /** Take in how a book stands. */
  take(book: number, state: State): void {
    if (book !== this.#book) this.#state = this.#asked = {};
    this.#book = book;
    const known = this.#state;
    // what was said earlier may be heard later
    const next = { ...known, ...state };
    if (known.revision !== undefined) next.revision = Math.max(known.revision, next.revision ?? 0);
    if (next.revision !== known.revision || next.lists !== known.lists) this.#state = next;
    // what is known for the first time is what was asked
    this.#asked = { ...this.#state, ...this.#asked };
  }

  /** What the reply to a change says of its book. */
  hear(path: string, header: string | null): void {
    const book = /^\/api\/books\/(\d+)/.exec(path)?.[1];
    const [revision, lists] = header?.split(' ') ?? [];
    if (book !== undefined && revision !== undefined && lists !== undefined)
      this.take(Number(book), { revision: Number(revision), lists });
  }

  /** Whether there is another state than was asked of; whoever hears so asks. */
  isNews(): boolean {
    const [now, asked] = [this.#state, this.#asked];
    this.#asked = now;
    return now.revision !== asked.revision || now.lists !== asked.lists;
  }
}

export const seen = new Seen();

/** Ask everything that is shown anew. A first question under way is ended and asked once more: its answer may be of
 * before, and the client would take it for the new one. */
export async function askAnew(client: QueryClient): Promise<void> {
  await client.cancelQueries({
    fetchStatus: 'fetching',
    predicate: (query) => query.state.data === undefined,
  });
  await client.invalidateQueries();
}
