/** The Worth question as the address holds it. */
import { address } from '$lib/address.svelte';
import { defineQuestion } from '$lib/question.svelte';

const VIEWS = ['worth', 'payback', 'spend', 'compare', 'top-customers', 'bought', 'leads-to'] as const;
export type View = (typeof VIEWS)[number];

const BY_AGE = ['margin', 'period', 'ages'];
const IFS = ['if_margin', 'if_cac', 'if_order_value', 'if_retention'];

/** The choices that each view's own sentence states. */
const OWN: Record<View, string[]> = {
  worth: [...BY_AGE, 'cac', 'split', ...IFS],
  payback: [...BY_AGE, 'cac', 'split', 'figure'],
  spend: ['shown'],
  compare: [...BY_AGE, 'one', 'other'],
  'top-customers': ['top'],
  bought: ['by'],
  'leads-to': [],
};
/** What does not go along to another view. */
const OF_ONE = ['split', 'figure', 'shown', 'one', 'other', 'top', 'by', ...IFS, 'open'];

/** The view that the address asks for. */
export function viewAsked(): View {
  const asked = address.query.get('view');
  return VIEWS.find((view) => view === asked) ?? 'worth';
}

export const question = defineQuestion<Record<string, string | string[]>>({
  single: () => OWN[viewAsked()],
  // what was opened belongs to the old groups
  clears: {
    view: OF_ONE,
    period: ['open'],
    ages: ['open'],
    split: ['open'],
    one: ['open'],
    other: ['open'],
    shown: ['open'],
    by: ['open'],
  },
  empties: ['split', 'other'],
});

/** Ask one of the other questions, with some of its choices. */
export function visitView(view: View, choices: Record<string, string> = {}): void {
  const cleared = Object.fromEntries(OF_ONE.map((name) => [name, null]));
  address.change({ ...cleared, ...choices, view });
}

/** A label as a part of an opened figure, and the label again: what stands between parts may be in it. */
export const partOf = (label: string) => label.replaceAll('%', '%25').replaceAll('~', '%7E');
const labelOf = (part: string) => part.replaceAll('%7E', '~').replaceAll('%25', '%');

const AGE = /^\d{1,6}$/;

/** What is opened, as the evidence of each view takes it; nothing for an address that names no figure. */
export function openedFigure(view: View): object | undefined {
  const [first, ...rest] = question.opened;
  if (first === undefined) return undefined;
  const group = rest.slice(1).join('~');
  switch (view) {
    case 'worth':
      return { measure: first, ...(rest.length > 0 ? { group: rest.join('~') } : {}) };
    case 'payback':
      return AGE.test(first)
        ? { age: first, ...(rest[0] ? { cohort: rest[0] } : {}), ...(group ? { group } : {}) }
        : undefined;
    case 'spend':
      return { month: first, ...(rest.length > 0 ? { channel: rest.join('~') } : {}) };
    case 'compare':
      return AGE.test(first) ? { age: first, side: rest[0] ?? 'one' } : undefined;
    case 'top-customers':
      return { largest: first };
    case 'bought':
      return { label: question.opened.join('~') };
    case 'leads-to':
      return { first: labelOf(first), ...(rest[0] === undefined ? {} : { later: labelOf(rest[0]) }) };
  }
}
