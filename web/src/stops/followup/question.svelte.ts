/** The Follow-up question as the address holds it. */
import { address } from '$lib/address.svelte';
import { defineQuestion } from '$lib/question.svelte';

const VIEWS = ['follow-up', 'standing', 'lapse-curve', 'worked', 'outcomes'] as const;
export type View = (typeof VIEWS)[number];

/** The choices that each view's own sentence states. */
const OWN: Record<View, string[]> = {
  'follow-up': ['once_ago', 'contactable', 'since_list', 'by', 'direction'],
  standing: ['by', 'and_by', 'over'],
  'lapse-curve': [],
  worked: ['within', 'shown', 'by', 'direction'],
  outcomes: ['within'],
};
const ALL = [...Object.values(OWN).flat(), 'who', 'open'];

/** The view that the address asks for. */
export function viewAsked(): View {
  const asked = address.query.get('view');
  // without a list there is none to work: all of them are shown
  if (asked === 'worked' && !address.query.get('list')) return 'outcomes';
  return VIEWS.find((view) => view === asked) ?? 'follow-up';
}

export const question = defineQuestion<Record<string, string | string[]>>({
  single: () => OWN[viewAsked()],
  several: () => (viewAsked() === 'follow-up' ? ['who'] : []),
  // what was opened belongs to the old groups; groups and periods are shown one at a time
  clears: {
    view: ALL,
    who: ['open'],
    contactable: ['open'],
    since_list: ['open'],
    // groups and periods are not asked together, and another field has sequences of its own
    by: ['open', 'and_by', 'over', 'direction'],
    and_by: ['open'],
    over: ['open', 'by', 'and_by'],
  },
  empties: ['by', 'and_by', 'over', 'since_list'],
});

/** Ask one of the other questions, with some of its choices. */
export function visitView(view: View, choices: Record<string, string | null> = {}): void {
  const cleared = Object.fromEntries(ALL.map((name) => [name, null]));
  address.change({ ...cleared, ...choices, view });
}

/** Work a list: it becomes that of the reading line, alone. */
export function visitList(name: string): void {
  visitView('worked', { list: name, list_as: null });
}

/** The member under the hand: a customer's number in the address. */
export function memberOpened(): number | null {
  const [first = ''] = question.opened;
  return viewAsked() === 'worked' && /^\d{1,18}$/.test(first) ? Number(first) : null;
}

const DAYS = /^\d{1,6}$/;
const named = (name: string, value: string | undefined) => (value ? { [name]: value } : {});

/** What is opened, as the evidence of each view takes it; nothing for an address that names no figure. */
export function openedFigure(view: View): object | undefined {
  const [first, ...rest] = question.opened;
  if (first === undefined) return undefined;
  switch (view) {
    case 'follow-up':
      return { part: first, ...named('reason', rest[0]) };
    case 'standing': {
      const [at, flow, ...group] = rest;
      return {
        ...(first === 'all' ? {} : { stands: first }),
        ...named('at', at),
        ...named('flow', flow),
        ...(group.length > 0 ? { group: group.join('~') } : {}),
      };
    }
    case 'worked':
      return first === 'members' ? { ...named('members', rest[0]), ...named('became', rest[1]) } : undefined;
    case 'outcomes':
      return undefined;
    case 'lapse-curve':
      return DAYS.test(first) ? { days: first } : undefined;
  }
}
