/** Every key of the page that is not a field's own: one table, from which keys work and are shown. */
import { onMount } from 'svelte';
import { keepText, keptText } from './kept';

interface Command {
  /** The key as the browser names it; none where a table or drawing answers its own keys. */
  key?: string;
  /** The key as it is shown. */
  shown: string;
  words: string;
}

export const COMMANDS = {
  find: { key: '/', shown: '/', words: 'find a customer' },
  move: { shown: '← → ↑ ↓', words: 'move in the table or list; along an opened thread' },
  zoom: { shown: '+ − 0', words: 'zoom an opened thread, show all of it' },
  keep: { key: 'l', shown: 'l', words: 'keep the customers that are shown as a list' },
  open: { shown: 'Enter', words: 'open the customer, or what stands behind the figure' },
  change: { shown: 'Tab, Enter', words: 'change a word of a sentence' },
  stepBack: { key: 'Escape', shown: 'Esc', words: 'step back' },
  showSettings: { key: '?', shown: '?', words: 'show this' },
} as const satisfies Record<string, Command>;

type CommandName = {
  [name in keyof typeof COMMANDS]: (typeof COMMANDS)[name] extends { key: string } ? name : never;
}[keyof typeof COMMANDS];

const KEPT = 'goldthread-single-keys';

/** What keys do, somewhere. */
export class Keyed {
  readonly #runs = new Map<string, (() => void)[]>();

  /** Answer a key until the returned function is called. Who came last answers first. */
  on(key: string, run: () => void): () => void {
    const runs = [...(this.#runs.get(key) ?? []), run];
    this.#runs.set(key, runs);
    return () => {
      this.#runs.set(
        key,
        (this.#runs.get(key) ?? []).filter((each) => each !== run),
      );
    };
  }

  pressed(event: KeyboardEvent): void {
    const run = this.#runs.get(event.key)?.at(-1);
    if (!run || isTyping(event) || (event.key.length === 1 && !commands.single)) return;
    event.preventDefault();
    run();
  }
}

class Commands extends Keyed {
  /** Whether keys of one character do anything (WCAG 2.2, 2.1.4). */
  single = $state(keptText(KEPT) !== 'off');

  allowSingle(allowed: boolean): void {
    this.single = allowed;
    keepText(KEPT, allowed ? 'on' : 'off');
  }
}

export const commands = new Commands();

/** Answer a command for as long as the component is there. */
export function useCommand(name: CommandName, run: () => void): void {
  onMount(() => commands.on(COMMANDS[name].key, run));
}

/** Whether a key belongs to a field, a menu or the browser rather than to the page. */
export function isTyping(event: KeyboardEvent): boolean {
  if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return true;
  const target = event.target;
  return (
    target instanceof HTMLElement &&
    (target.matches('input, textarea, select, [contenteditable]') ||
      target.closest('[role=menu], [role=dialog], [role=listbox]') !== null)
  );
}
