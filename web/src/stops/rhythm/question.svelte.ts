/** The Rhythm question as the address holds it. */
import { address } from '$lib/address.svelte';
import { defineQuestion } from '$lib/question.svelte';

const VIEWS = ['counts', 'gaps', 'next-order', 'due'] as const;
export type View = (typeof VIEWS)[number];

/** The choices that each view's own sentence states. */
const OWN: Record<View, string[]> = {
  counts: ['from', 'to', 'groups', 'zero'],
  gaps: ['by'],
  'next-order': ['step', 'split'],
  due: ['within', 'overdue'],
};

/** The view that the address asks for. */
export function viewAsked(): View {
  const asked = address.query.get('view');
  return VIEWS.find((view) => view === asked) ?? 'counts';
}

export const question = defineQuestion<Record<string, string | string[]>>({
  single: () => OWN[viewAsked()],
  // what was opened belongs to the old groups
  clears: {
    view: [...Object.values(OWN).flat(), 'open'],
    groups: ['open'],
    by: ['open'],
    step: ['open'],
    split: ['open'],
    within: ['open'],
  },
  empties: ['split', 'from', 'to'],
});

/** Ask one of the other questions, with some of its choices. */
export function visitView(view: View, choices: Record<string, string> = {}): void {
  const cleared = Object.fromEntries([...Object.values(OWN).flat(), 'open'].map((name) => [name, null]));
  address.change({ ...cleared, ...choices, view });
}

const PART = /^\d{1,6}$/;

/** What is opened, as the evidence of each view takes it; nothing for an address that names no figure. */
export function openedFigure(view: View): object | undefined {
  const [first, ...rest] = question.opened;
  if (first === undefined) return undefined;
  switch (view) {
    case 'counts':
      return { orders: question.opened };
    case 'gaps': {
      const [shortest = '', longest = '', ...group] = question.opened;
      return {
        ...(PART.test(shortest) ? { shortest } : {}),
        ...(PART.test(longest) ? { longest } : {}),
        ...(group.length > 0 ? { group: group.join('~') } : {}),
      };
    }
    case 'next-order':
      return PART.test(first)
        ? {
            days: first,
            who: rest[0] ?? 'ordered',
            ...(rest.length > 1 ? { group: rest.slice(1).join('~') } : {}),
          }
        : undefined;
    case 'due':
      return { at: first === 'coming' ? '' : first };
  }
}
