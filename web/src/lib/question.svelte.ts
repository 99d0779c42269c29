/** What is asked, as the address holds it: which view of the stop that is open, with which choices, and what is opened. */
import { address, type Choices } from './address.svelte';
import { OWN } from './api/fields';
import { stable } from './stable';

/** What a view asks. Its choices are those of the question of its name, which the server declares. */
export interface Asking {
  name: string;
  /** What goes when a choice changes, because it belonged to the one before. */
  clears?: Record<string, readonly string[]>;
  /** Choices that change how the answer is drawn, and none of its figures. */
  looks?: readonly string[];
  /** What else of the address belongs to the view. */
  further?: readonly string[];
  /** What is opened, as the evidence takes it; nothing for an address that names no figure. */
  opens?: (first: string, ...rest: string[]) => object | undefined;
  /** Another view that is shown where this one has nothing to show. */
  instead?: () => string | undefined;
}

/** What stands between the parts of an opened figure. */
const BETWEEN = '~';
/** Parts of what is opened that belong together: a label may hold what stands between them. */
export const joined = (parts: readonly string[]) => parts.join(BETWEEN);
/** The same as a choice of its name; none where there are no such parts. */
export const named = (name: string, parts: readonly string[]) =>
  parts.length > 0 ? { [name]: joined(parts) } : {};
/** Whether a part is a whole number, as days and ages are. */
export const isWhole = (part: string) => /^\d{1,6}$/.test(part);

class Question {
  #names = $state.raw<readonly string[]>([]);
  #along: readonly string[] = [];
  #known = $state.raw<(name: string) => Asking | undefined>(() => undefined);
  readonly #keptQuery = stable<Choices>();
  readonly #keptFigures = stable<Choices>();
  readonly #keptOpened = stable<string[]>();

  /** The views of the stop that is open, the usual one first; `known`: what a view asks, once it is loaded; `along`: what
   * goes along from one view to another. */
  of(
    names: readonly string[],
    known: (name: string) => Asking | undefined,
    along: readonly string[] = [],
  ): void {
    this.#names = names;
    this.#known = known;
    this.#along = along;
  }

  /** The view that the address asks for. */
  readonly name = $derived.by(() => {
    const asked = address.query.get('view') ?? '';
    const name = this.#names.includes(asked) ? asked : (this.#names[0] ?? '');
    return this.#known(name)?.instead?.() ?? name;
  });

  readonly #view = $derived.by(() => this.#known(this.name));

  /** The query as the API takes it; the server checks it and says what is wrong. The same object while it is the same
   * question, whatever else of the address changes. */
  readonly query = $derived.by(() => this.#keptQuery(address.choices(OWN[this.name])));

  /** The query without what only changes the drawing: what stands behind a figure stays the same meanwhile. */
  readonly figures = $derived.by(() => {
    const looks = this.#view?.looks ?? [];
    const kept = Object.entries(this.query).filter(([name]) => !looks.includes(name));
    return this.#keptFigures(Object.fromEntries(kept));
  });

  /** The parts of what is opened; none while nothing is. The same array while it is the same figure. */
  readonly opened = $derived.by(() => {
    const open = address.query.get('open');
    return this.#keptOpened(open ? open.split(BETWEEN) : []);
  });

  /** What is opened, as the evidence takes it. */
  readonly figure = $derived.by(() => {
    const [first, ...rest] = this.opened;
    return first === undefined ? undefined : this.#view?.opens?.(first, ...rest);
  });

  /** Whether a chart's figures are shown as a table. */
  get isTable(): boolean {
    return address.query.get('as') === 'table';
  }

  showTable(shown: boolean): void {
    address.change({ as: shown ? 'table' : null }, false);
  }

  choose(name: string, values: string[]): void {
    if (name === 'view' && this.#names.length > 1) this.visit(values[0] ?? '');
    else {
      const cleared = this.#view?.clears?.[name] ?? [];
      address.choose(name, values, Object.fromEntries(cleared.map((other) => [other, null])));
    }
  }

  /** Ask one of the stop's other questions, with some of its choices; what belongs to the one before goes. */
  visit(view: string, choices: Record<string, string | null> = {}): void {
    const own = this.#names.flatMap((each) => OWN[each] ?? []);
    const further = this.#view?.further ?? [];
    const goes = [...own, ...further, 'open', 'help', 'table', 'as', 'sort'].filter(
      (name) => !this.#along.includes(name),
    );
    address.change({ ...Object.fromEntries(goes.map((name) => [name, null])), ...choices, view });
  }

  /** Set several choices at once. `asStep` makes it a step that "back" undoes. */
  set(choices: Record<string, string | null>, asStep = true): void {
    address.change(choices, asStep);
  }

  /** Open a figure: a step that "back" undoes. The last part may be empty. */
  open(...parts: (string | number)[]): void {
    const said = parts.at(-1) === '' ? parts.slice(0, -1) : parts;
    address.change({ open: said.join(BETWEEN), help: null });
  }

  close(): void {
    address.leave('open');
  }

  /** What is read about the answer beside it: a section of the definitions, or how a stop is used. */
  get help(): string {
    return address.query.get('help') ?? '';
  }

  explain(chapter: string): void {
    address.change({ help: chapter });
  }

  closeHelp(): void {
    address.leave('help');
  }
}

/** The question of the stop that is open. */
export const question = new Question();
