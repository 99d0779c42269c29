/** Where the page is: the address holds every state, so that back, bookmarks and links lose nothing. */

export type Stop = 'intake' | 'cohorts';
export const STOPS: { stop: Stop; title: string }[] = [
  { stop: 'intake', title: 'Intake' },
  { stop: 'cohorts', title: 'Cohorts' },
];

const PATH = /^\/books\/(\d+)\/(intake|cohorts)$/;

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

  /** Go to a stop of a book; choices of the reading line go along. */
  visit(book: number, stop: Stop, query = new URLSearchParams()): void {
    history.pushState(null, '', addressOf(book, stop, query));
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
