/** Where the page is: the address holds every state, so that back, bookmarks and links lose nothing. */

const PATH = /^\/books\/(\d+)\/([a-z]+)$/;
/** The choices of the reading line: they go along from stop to stop. */
const READING_SINGLE = ['as_of', 'unit', 'where', 'firsts', 'list', 'list_as', 'lapse', 'lapse_by'] as const;
const READING_SEVERAL = ['status', 'source'] as const;

export type Choices = Record<string, string | string[]>;
type Changes = Record<string, string[] | string | null>;

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

  /** The stop's name as the address gives it; nobody has checked yet that there is one. */
  get stop(): string | undefined {
    return PATH.exec(this.path)?.[2];
  }

  /** The reading line's part of the query. */
  get reading(): URLSearchParams {
    const reading = new URLSearchParams();
    for (const name of [...READING_SINGLE, ...READING_SEVERAL])
      for (const value of this.query.getAll(name)) reading.append(name, value);
    return reading;
  }

  /** Some of the query's choices as the API takes them, those of the reading line among them. */
  choices(single: readonly string[], several: readonly string[] = []): Choices {
    const chosen: Choices = {};
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
  visit(book: number, stop: string, query?: URLSearchParams): void {
    this.#go(addressOf(book, stop, query ?? this.#along(book)), true);
  }

  /** Go to the page of a customer, read as everything is read here. */
  visitCustomer(book: number, customer: number): void {
    const query = this.#along(book);
    query.set('customer', String(customer));
    this.visit(book, 'threads', query);
  }

  /** The same without leaving a step behind: "back" must not lead to an address that leads on again. */
  lead(book: number, stop: string): void {
    this.#go(addressOf(book, stop, this.#along(book)), false);
  }

  /** Change the query. `asStep` makes it a step that "back" undoes. */
  change(changes: Changes, asStep = true): void {
    const query = new URLSearchParams(this.query);
    for (const [name, value] of Object.entries(changes)) {
      query.delete(name);
      for (const each of value === null ? [] : [value].flat()) query.append(name, each);
    }
    this.#go(this.path + (query.size ? `?${query}` : ''), asStep);
  }

  /** Set a choice of the reading line. No list and no filter are said by saying nothing. */
  choose(name: string, values: string[], also: Changes = {}): void {
    const none = (name === 'list' || name === 'where') && values[0] === '';
    const goesWith: Record<string, string> = { list: 'list_as', where: 'firsts' };
    const other = none ? goesWith[name] : undefined;
    this.change({ ...also, ...(other ? { [other]: null } : {}), [name]: none ? null : values });
  }

  #along(book: number): URLSearchParams {
    return book === this.book ? this.reading : new URLSearchParams();
  }

  #go(next: string, asStep: boolean): void {
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
export function addressOf(book: number, stop: string, query = new URLSearchParams()): string {
  return `/books/${book}/${stop}` + (query.size ? `?${query}` : '');
}

/** Follow a link within the page, unless the browser is asked to open it elsewhere. */
export function followed(event: MouseEvent, go: () => void): void {
  if (event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
  event.preventDefault();
  go();
}

export const address = new Address();
