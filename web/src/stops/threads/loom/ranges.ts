/** Stretches of the sequence of threads, as the address holds them. */
import { address } from '$lib/address.svelte';

/** Threads by their places in the whole sequence, both ends included. */
export interface Range {
  first: number;
  last: number;
}

function rangeOf(name: string): Range | undefined {
  const found = /^(\d{1,9})~(\d{1,9})$/.exec(address.query.get(name) ?? '');
  return found ? { first: Number(found[1]), last: Number(found[2]) } : undefined;
}

/** The threads that are looked at closely. */
export const nearAsked = () => rangeOf('near');

/** The threads that are opened. */
export const openedThreads = () => rangeOf('open');

/** Look at some threads closely, or at all of them. */
export function lookAt(range: Range | null): void {
  address.change({ near: range && `${range.first}~${range.last}`, open: null });
}
