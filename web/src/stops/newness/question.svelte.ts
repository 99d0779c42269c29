/** The question about new and returning as the address holds it. */
import type { QueryOf } from '$lib/answer.svelte';
import { defineQuestion } from '$lib/question.svelte';

export type Side = NonNullable<QueryOf<'newness/recount'>['side']>;

const SIDES: readonly string[] = ['new', 'returning', 'won_back', 'all'] satisfies Side[];

export const question = defineQuestion<QueryOf<'newness'>>({
  single: ['period', 'measure', 'view', 'split'],
  // what was opened belongs to the old periods
  clears: { split: ['open'], period: ['open'] },
  empties: ['split'],
  looks: ['view'],
});

/** What is opened, as the evidence takes it; nothing for an address that names no figure. */
export function openedFigure(): { at: string; side: Side; group: string } | undefined {
  const [at, side = 'all', ...group] = question.opened;
  return at && SIDES.includes(side) ? { at, side: side as Side, group: group.join('~') } : undefined;
}
