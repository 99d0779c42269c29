/** Light or dark: as the system is, until somebody chooses. */
import { MediaQuery } from 'svelte/reactivity';
import { keepText, keptText } from './kept';

const KEY = 'goldthread-theme';
const THEMES = { light: 'linen', dark: 'evening' } as const;
export type Theme = keyof typeof THEMES;

class Themes {
  readonly #dark = new MediaQuery('(prefers-color-scheme: dark)');
  /** Paper is light, whatever the room is. */
  readonly #printed = new MediaQuery('print');
  /** What somebody chose; empty for as the system is. */
  chosen = $state<Theme | ''>(known(keptText(KEY)));

  get shown(): Theme {
    return this.chosen || (this.#dark.current ? 'dark' : 'light');
  }

  /** What the page is drawn in. */
  get name(): string {
    return THEMES[this.#printed.current ? 'light' : this.shown];
  }

  choose(theme: Theme | ''): void {
    this.chosen = theme;
    keepText(KEY, theme || null);
  }
}

/** Also by the names of before. */
function known(kept: string | null): Theme | '' {
  if (kept === 'light' || kept === 'linen') return 'light';
  return kept === 'dark' || kept === 'evening' ? 'dark' : '';
}

export const themes = new Themes();
