/** The Threads question as the address holds it. */
import { address } from '$lib/address.svelte';
import { defineQuestion } from '$lib/question.svelte';

const VIEWS = ['customers', 'loom', 'nth', 'orders', 'figures', 'pairs', 'backdated'] as const;
export type View = (typeof VIEWS)[number];
/** Views that list customers or orders, page by page. */
export type ListView = Exclude<View, 'figures' | 'pairs' | 'loom'>;

/** The choices that each view's own sentence states. */
const OWN: Record<View, { single: string[]; several: string[] }> = {
  customers: { single: ['by', 'direction'], several: ['show'] },
  loom: { single: ['by', 'direction', 'tone', 'align'], several: [] },
  nth: { single: ['rank', 'by', 'direction'], several: ['show'] },
  orders: { single: [], several: [] },
  figures: { single: ['group'], several: [] },
  pairs: { single: ['rows', 'columns', 'extreme'], several: [] },
  backdated: { single: [], several: [] },
};
const ALL_OWN = [...new Set(Object.values(OWN).flatMap(({ single, several }) => [...single, ...several]))];

/** The view that the address asks for. */
export function viewAsked(): View {
  const asked = address.query.get('view');
  return VIEWS.find((view) => view === asked) ?? 'customers';
}

/** The customer whose page is open. */
export function customerAsked(): number | null {
  const asked = Number(address.query.get('customer'));
  return Number.isInteger(asked) && asked > 0 ? asked : null;
}

/** Threads that are looked at closely, and those that are opened, by their places in the sequence. */
const RANGES = ['near', 'open'];

export const question = defineQuestion<Record<string, string | string[]>>({
  single: () => OWN[viewAsked()].single,
  several: () => OWN[viewAsked()].several,
  // neighbours in one sequence are none in another
  clears: { view: [...ALL_OWN, 'customer', ...RANGES], by: ['direction', ...RANGES], direction: [...RANGES] },
  empties: ['tone'],
});

/** Set a choice. Showing no further field is said, because saying nothing shows the usual ones. */
export function choose(name: string, values: string[]): void {
  if (name !== 'show') question.choose(name, values);
  else question.choose(name, values.length === 0 ? [''] : values.filter(Boolean));
}

export interface Range {
  first: number;
  last: number;
}

function rangeOf(name: string): Range | undefined {
  const found = /^(\d{1,9})~(\d{1,9})$/.exec(address.query.get(name) ?? '');
  return found ? { first: Number(found[1]), last: Number(found[2]) } : undefined;
}

/** The threads of the loom that are looked at closely. */
export const nearAsked = () => rangeOf('near');

/** The threads of the loom that are opened. */
export const openedThreads = () => rangeOf('open');

/** Look at some threads closely, or at all of them. */
export function lookAt(range: Range | null): void {
  address.change({ near: range && `${range.first}~${range.last}`, open: null });
}

/** Show the customers whose orders a group or pair counts. */
export function narrow(condition: string): void {
  const known = address.query.get('where');
  const cleared = Object.fromEntries(ALL_OWN.map((own) => [own, null]));
  address.change({ ...cleared, view: 'customers', where: known ? `(${known}) AND ${condition}` : condition });
}

export function openCustomer(customer: number): void {
  address.change({ customer: String(customer) }, customerAsked() === null);
}

export function closeCustomer(): void {
  address.change({ customer: null });
}
