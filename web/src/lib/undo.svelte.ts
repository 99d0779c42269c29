/** What was deleted last, and the way back to it. It is offered for ten seconds, and for as long as somebody is at it, up
 * to what the server keeps it for. */

export interface Offer {
  /** What was deleted, in words. */
  words: string;
  bringBack: () => Promise<unknown>;
}

const OFFERED_MS = 10_000;
const MOST_MS = 50_000;

class Undo {
  offer: Offer | undefined = $state.raw();
  /** How many open panels show the offer; without any the page does. */
  panels = $state(0);
  #until = 0;
  #ends: ReturnType<typeof setTimeout> | undefined;

  give(offer: Offer): void {
    this.offer = offer;
    this.#until = Date.now() + MOST_MS;
    this.leave();
  }

  /** Somebody is at it. */
  stay(): void {
    this.#end(this.#until - Date.now());
  }

  leave(): void {
    this.#end(Math.min(OFFERED_MS, this.#until - Date.now()));
  }

  #end(afterMs: number): void {
    clearTimeout(this.#ends);
    this.#ends = setTimeout(() => (this.offer = undefined), afterMs);
  }
}

export const undo = new Undo();
