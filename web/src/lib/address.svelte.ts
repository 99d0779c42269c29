/** Where the page is: the address holds every state, so that back, bookmarks and links lose nothing. */

export type Stop = 'intake' | 'threads' | 'cohorts' | 'newness' | 'checks';
export const STOPS: { stop: Stop; title: string }[] = [
  { stop: 'intake', title: 'Intake' },
  { stop: 'threads', title: 'Threads' },
  { stop: 'cohorts', title: 'Cohorts' },
  { stop: 'newness', title: 'New & returning' },
];

const PATH = /^\/books\/(\d+)\/(intake|threads|cohorts|newness|checks)$/;
/** The choices of the reading line: they go along from stop to stop. */
const READING_SINGLE = ['as_of', 'where', 'firsts', 'held', 'held_as', 'lapse'] as const;
const READING_SEVERAL = ['status', 'source'] as const;

class Address {
  path = $state(location.pathname);
  query = $state.raw(new URLSearchParams(location.search));

  constructor() {
    addEventListener('popstate', () => this.#read());
  }

  get book(): number | undefined {
    const found = PATH.exec(this.path)?.[1];
    return found === undefined ? undefined : Number(found);
  }

  get stop(): Stop | undefined {
    return PATH.exec(this.path)?.[2] as Stop | undefined;
  }

  /** The reading line's part of the query. */
  get reading(): URLSearchParams {
    const reading = new URLSearchParams();
    for (const name of [...READING_SINGLE, ...READING_SEVERAL])
      for (const value of this.query.getAll(name)) reading.append(name, value);
    return reading;
  }

  /** Some of the query's choices as the API takes them, those of the reading line among them. */
  choices(single: readonly string[], several: readonly string[] = []): Record<string, string | string[]> {
    const chosen: Record<string, string | string[]> = {};
    for (const name of [...READING_SINGLE, ...single]) {
      const value = this.query.get(name);
      if (value !== null) chosen[name] = value;
    }
    for (const name of [...READING_SEVERAL, ...several]) {
      const values = this.query.getAll(name);
      if (values.length > 0) chosen[name] = values;
    }
    return chosen;
  }

  /** Go to a stop of a book; choices of the reading line go along unless another query is given. */
  visit(book: number, stop: Stop, query?: URLSearchParams): void {
    const along = query ?? (book === this.book ? this.reading : new URLSearchParams());
    history.pushState(null, '', addressOf(book, stop, along));
    this.#read();
  }

  /** Change the query. `asStep` makes it a step that "back" undoes. */
  change(changes: Record<string, string[] | string | null>, asStep = true): void {
    const query = new URLSearchParams(this.query);
    for (const [name, value] of Object.entries(changes)) {
      query.delete(name);
      for (const each of value === null ? [] : [value].flat()) query.append(name, each);
    }
    const next = this.path + (query.size ? `?${query}` : '');
    if (asStep) history.pushState(null, '', next);
    else history.replaceState(null, '', next);
    this.#read();
  }

  /** Set a choice of a sentence. Nobody in hand and no condition are told by saying nothing. */
  choose(name: string, values: string[]): void {
    const none = (name === 'held' || name === 'where') && values[0] === '';
    const goesWith: Record<string, string[]> = { held: ['held_as'], where: ['firsts'] };
    const cleared = none ? Object.fromEntries((goesWith[name] ?? []).map((other) => [other, null])) : {};
    this.change({ ...cleared, [name]: none ? null : values });
  }

  #read(): void {
    this.path = location.pathname;
    this.query = new URLSearchParams(location.search);
  }
}

/** The address of a stop. */
export function addressOf(book: number, stop: Stop, query = new URLSearchParams()): string {
  return `/books/${book}/${stop}` + (query.size ? `?${query}` : '');
}

export const address = new Address();
