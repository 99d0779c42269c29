/** Letters to lists that are being written: kept by this browser until they are sent, so that leaving loses nothing. */
import { keep, kept, withLatest } from '$lib/kept';

interface Letter {
  subject: string;
  text: string;
}

const KEY = 'goldthread-letters';
const MOST = 12;
const BLANK: Letter = { subject: '', text: 'Dear {name},\n\n' };

function known(): [string, Letter][] {
  const found = kept(KEY);
  return Array.isArray(found) ? (found as [string, Letter][]) : [];
}

class Letters {
  #all = $state.raw<ReadonlyMap<string, Letter>>(new Map(known()));

  of(book: number, list: number): Letter {
    return this.#all.get(`${book} ${list}`) ?? BLANK;
  }

  /** Keep what is written; nothing is left of a letter that was sent. */
  keep(book: number, list: number, letter: Letter | undefined): void {
    this.#all = withLatest(this.#all, `${book} ${list}`, letter, MOST);
    keep(KEY, [...this.#all]);
  }
}

export const letters = new Letters();
