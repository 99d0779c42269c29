/** A link by which this page shows one view to somebody outside. All that is asked goes by it; nothing else is reached. */
import { OWN, READING } from './api/fields';
import { ROOT } from './root';

const PATH = /^\/shared\/(\d+)$/;
const given = (path: string) => PATH.exec(path.slice(path.startsWith(ROOT) ? ROOT.length : 0))?.[1];

class Outside {
  /** The number of the link; undefined where the page is used inside. */
  readonly link = ((number) => (number === undefined ? undefined : Number(number)))(given(location.pathname));
  /** Behind the mark of the address, which no server sees. */
  readonly #secret = location.hash.slice(1);
  passphrase = '';
  /** The question that the link shows the answer to. */
  question = '';
  /** Something was asked for that the link does not reach. */
  isAtItsEnd = $state(false);

  /** What every request is asked with (RFC 7617). */
  get headers(): { Authorization: string } {
    const bytes = new TextEncoder().encode(`${this.#secret}:${this.passphrase}`);
    return { Authorization: `Basic ${btoa(String.fromCharCode(...bytes))}` };
  }

  /** Whether a change of the address asks for something else than the link shows; that is noted. */
  isClosedTo(names: readonly string[]): boolean {
    const fixed = [...READING, 'view', 'customer', ...(OWN[this.question] ?? [])];
    return names.some((name) => fixed.includes(name)) && this.isClosed();
  }

  /** Whether other pages are out of reach; that somebody went for one is noted. */
  isClosed(): boolean {
    return (this.isAtItsEnd = this.link !== undefined);
  }
}

export const outside = new Outside();
