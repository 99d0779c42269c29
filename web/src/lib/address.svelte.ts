/** Where the page is: the address holds every state, so that back, bookmarks and links lose nothing. */
import { READING } from './api/fields';
import { outside } from './outside.svelte';
import { ROOT } from './root';

const PATH = /^\/books\/(\d+)\/([a-z]+)$/;
/** Choices that mean nothing without another one. */
const GOES_WITH: Record<string, string> = { list: 'list_as', where: 'firsts' };

const withoutRoot = (path: string) => (path.startsWith(ROOT) ? path.slice(ROOT.length) : path);

export type Choices = Record<string, string | string[]>;
type Changes = Record<string, string[] | string | null>;

class Address {
  path = $state(withoutRoot(location.pathname));
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

  /** The reading line's part of the query: it goes along from stop to stop. */
  get reading(): URLSearchParams {
    const reading = new URLSearchParams();
    for (const name of READING) for (const value of this.query.getAll(name)) reading.append(name, value);
    return reading;
  }

  /** Some of the query's choices as the API takes them, those of the reading line among them. */
  choices(names: readonly string[] = []): Choices {
    const chosen: Choices = {};
    for (const name of [...READING, ...names]) {
      const values = this.query.getAll(name);
      const [first] = values;
      if (first !== undefined) chosen[name] = values.length > 1 ? values : first;
    }
    return chosen;
  }

  /** Go to a stop of a book; choices of the reading line go along unless another query is given. */
  visit(book: number, stop: string, query?: URLSearchParams): void {
    if (outside.isClosed()) return;
    this.#go(addressOf(book, stop, query ?? this.#along(book)), true);
  }

  /** Go to the page of a customer, read as everything is read here. */
  visitCustomer(book: number, customer: number): void {
    const query = this.#along(book);
    query.set('customer', String(customer));
    this.visit(book, 'threads', query);
  }

  /** Go to a page that is of no book. */
  visitPage(path: string): void {
    this.#go(ROOT + path, true);
  }

  /** The same without leaving a step behind: "back" must not lead to an address that leads on again. */
  lead(book: number, stop: string): void {
    this.#go(addressOf(book, stop, book === this.book ? this.query : new URLSearchParams()), false);
  }

  /** Change the query. `asStep` makes it a step that "back" undoes. */
  change(changes: Changes, asStep = true): void {
    if (outside.isClosedTo(Object.keys(changes))) return;
    this.#go(this.#changed(changes), asStep);
  }

  /** Show a view that an address does not name, as if it did. */
  stand(query: URLSearchParams): void {
    this.#go(addressed(ROOT + this.path, query), false);
  }

  /** Take a choice away again, as "back" does where it was the last step. */
  leave(name: string): void {
    const next = this.#changed({ [name]: null });
    if (next === here()) return;
    if (before() !== next) this.#go(next, false);
    else {
      history.back();
      this.#read(new URL(next, location.href));
    }
  }

  /** Set a choice of the reading line; nothing takes it away. */
  choose(name: string, values: string[], also: Changes = {}): void {
    const other = values.length === 0 ? GOES_WITH[name] : undefined;
    this.change({ ...also, ...(other ? { [other]: null } : {}), [name]: values });
  }

  #changed(changes: Changes): string {
    const query = new URLSearchParams(this.query);
    for (const [name, value] of Object.entries(changes)) {
      query.delete(name);
      for (const each of value === null ? [] : [value].flat()) query.append(name, each);
    }
    return addressed(ROOT + this.path, query);
  }

  #along(book: number): URLSearchParams {
    return book === this.book ? this.reading : new URLSearchParams();
  }

  #go(next: string, asStep: boolean): void {
    if (next === here()) return;
    // a link's secret stays behind the mark
    const whole = next + (outside.link === undefined ? '' : location.hash);
    if (asStep) history.pushState({ before: here() } satisfies Step, '', whole);
    else history.replaceState(history.state, '', whole);
    this.#read();
  }

  #read(at: URL | Location = location): void {
    this.path = withoutRoot(at.pathname);
    this.query = new URLSearchParams(at.search);
  }
}

/** What a step of the history knows of itself. */
interface Step {
  /** The address that it was taken from. */
  before: string;
}

const addressed = (path: string, query: URLSearchParams) => path + (query.size ? `?${query}` : '');
const here = () => addressed(location.pathname, new URLSearchParams(location.search));
const before = () => (history.state as Step | null)?.before;

/** The address of a stop. */
export function addressOf(book: number, stop: string, query = new URLSearchParams()): string {
  return addressed(`${ROOT}/books/${book}/${stop}`, query);
}

/** Follow a link within the page, unless the browser is asked to open it elsewhere. */
export function followed(event: MouseEvent, go: () => void): void {
  if (event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
  event.preventDefault();
  go();
}

export const address = new Address();
