/** What a stop asks, as the address holds it. */
import { address } from './address.svelte';
import { stable } from './stable';

interface Definition {
  /** The choices that its sentences state beside the reading line's: those with one value, and those with several. */
  single: readonly string[] | (() => readonly string[]);
  several?: readonly string[] | (() => readonly string[]);
  /** What goes when a choice changes, because it belonged to the one before. */
  clears?: Record<string, readonly string[]>;
  /** Choices whose empty value is said by saying nothing. */
  empties?: readonly string[];
  /** Choices that change how the answer is drawn, and none of its figures. */
  looks?: readonly string[];
}

const listed = (names: Definition['single'] | undefined) =>
  typeof names === 'function' ? names() : (names ?? []);

/** What stands between the parts of an opened figure. */
const BETWEEN = '~';

export class Question<Query extends object> {
  readonly #definition: Definition;
  readonly #keptQuery = stable<Query>();
  readonly #keptFigures = stable<Query>();
  readonly #keptOpened = stable<string[]>();

  constructor(definition: Definition) {
    this.#definition = definition;
  }

  /** The query as the API takes it; the server checks it and says what is wrong. The same object while it is the same
   * question, whatever else of the address changes. */
  readonly query = $derived.by(() => {
    const { single, several } = this.#definition;
    return this.#keptQuery(address.choices(listed(single), listed(several)) as Query);
  });

  /** The query without what only changes the drawing: what stands behind a figure stays the same meanwhile. */
  readonly figures = $derived.by(() => {
    const looks = this.#definition.looks ?? [];
    const kept = Object.entries(this.query).filter(([name]) => !looks.includes(name));
    return this.#keptFigures(Object.fromEntries(kept) as Query);
  });

  /** The parts of what is opened; none while nothing is. The same array while it is the same figure. */
  readonly opened = $derived.by(() => {
    const open = address.query.get('open');
    return this.#keptOpened(open ? open.split(BETWEEN) : []);
  });

  choose(name: string, values: string[]): void {
    const { clears, empties } = this.#definition;
    const cleared = Object.fromEntries((clears?.[name] ?? []).map((other) => [other, null]));
    if (empties?.includes(name) && values[0] === '') address.change({ ...cleared, [name]: null });
    else address.choose(name, values, cleared);
  }

  /** Set several choices at once. `asStep` makes it a step that "back" undoes. */
  set(choices: Record<string, string>, asStep = true): void {
    address.change(choices, asStep);
  }

  /** Open a figure: a step that "back" undoes. The last part may be empty. */
  open(...parts: (string | number)[]): void {
    const said = parts.at(-1) === '' ? parts.slice(0, -1) : parts;
    address.change({ open: said.join(BETWEEN) });
  }

  close(): void {
    address.change({ open: null });
  }
}

export function defineQuestion<Query extends object>(definition: Definition): Question<Query> {
  return new Question<Query>(definition);
}
