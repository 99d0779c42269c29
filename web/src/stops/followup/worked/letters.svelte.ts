/** Letters to lists that are being written: kept by this browser until they are sent, so that leaving loses nothing. */

interface Letter {
  subject: string;
  text: string;
}

const KEY = 'goldthread-letters';
const MOST = 12;
const BLANK: Letter = { subject: '', text: 'Dear {name},\n\n' };

function kept(): [string, Letter][] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
    return Array.isArray(found) ? (found as [string, Letter][]) : [];
  } catch {
    return [];
  }
}

class Letters {
  #all = $state.raw<ReadonlyMap<string, Letter>>(new Map(kept()));

  of(book: number, list: number): Letter {
    return this.#all.get(`${book} ${list}`) ?? BLANK;
  }

  /** Keep what is written; nothing is left of a letter that was sent. */
  keep(book: number, list: number, letter: Letter | undefined): void {
    const all = new Map(this.#all);
    all.delete(`${book} ${list}`);
    if (letter) all.set(`${book} ${list}`, letter);
    this.#all = new Map([...all].slice(-MOST));
    localStorage.setItem(KEY, JSON.stringify([...this.#all]));
  }
}

export const letters = new Letters();
