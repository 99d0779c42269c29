/** What the drawing of the table and the words beside it both know. */
import { address } from '$lib/address.svelte';
import type { Schemas } from '$lib/api/client';
import { isWhole } from '$lib/question.svelte';
import type { Pointed } from './pointed';
import { usualAge } from './split';

export const ALL = 'all';

class Table {
  pointed = $state.raw<Pointed | null>(null);
  /** Whether the table leaves figures out to fit the page. */
  abridges = $state(false);
  /** The age of a split that was pointed at last. */
  #pointedAge = $state<number | null>(null);

  /** Whether every figure is to be read, even if the table has to be scrolled for it. */
  get showsNumbers(): boolean {
    return address.query.get('table') === 'figures';
  }

  showNumbers(shown: boolean): void {
    address.change({ table: shown ? 'figures' : null }, false);
  }

  /** The age at which groups are compared: as pointed at, as the address says, or the usual one. */
  age(answer: Schemas['CohortsShape']): number {
    const asked = address.query.get('age') ?? '';
    const age = this.#pointedAge ?? (isWhole(asked) ? Number(asked) : usualAge(answer));
    return Math.min(age, Math.max(0, answer.ages_shown - 1));
  }

  pointAge(age: number): void {
    this.#pointedAge = age;
  }

  compareAge(age: number): void {
    this.#pointedAge = null;
    address.change({ age: String(age) }, false);
  }

  /** Begin anew: nothing is pointed at. */
  rest(): void {
    this.pointed = null;
    this.abridges = false;
    this.#pointedAge = null;
  }
}

export const table = new Table();
