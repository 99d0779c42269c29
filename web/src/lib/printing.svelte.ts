/** Paper: what is windowed on screen is drawn whole for it, and what is not here yet is fetched first. */
/** What goes on paper: more is taken as a file. */
export const MOST_PRINTED = 1_000;

interface Printed {
  /** Fetch what is to be on paper. */
  fetch: () => Promise<unknown>;
  isDrawn: () => boolean;
}

/** What is not drawn by then is missing on paper. */
const MOST_FRAMES = 600;

class Printing {
  /** Whether the page is being drawn for paper. */
  now = $state(false);
  readonly #printed = new Set<Printed>();

  constructor() {
    addEventListener('beforeprint', () => (this.now = true));
    addEventListener('afterprint', () => (this.now = false));
  }

  /** Have something fetched and drawn before the page is printed, until the returned function is called. */
  needs(printed: Printed): () => void {
    this.#printed.add(printed);
    return () => void this.#printed.delete(printed);
  }

  async print(): Promise<void> {
    const all = [...this.#printed];
    // what cannot be had is missing on paper as on screen
    await Promise.allSettled(all.map(({ fetch }) => fetch()));
    this.now = true;
    for (let frame = 0; frame < MOST_FRAMES; frame += 1) {
      await new Promise(requestAnimationFrame);
      if (all.every(({ isDrawn }) => isDrawn())) break;
    }
    print();
  }

  /** The browser's own key for printing. */
  pressed(event: KeyboardEvent): void {
    if (event.key.toLowerCase() !== 'p' || !(event.ctrlKey || event.metaKey) || event.shiftKey) return;
    event.preventDefault();
    void this.print();
  }
}

export const printing = new Printing();
