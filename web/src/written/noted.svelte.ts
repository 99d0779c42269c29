/** What there are notes on, in the book that is open, and whether their marks are drawn. */
import { createQuery } from '@tanstack/svelte-query';
import { address, addressOf } from '$lib/address.svelte';
import { answerOf, api, type Schemas } from '$lib/api/client';
import { keepText, keptText } from '$lib/kept';
import { me } from '$lib/me.svelte';
import { outside } from '$lib/outside.svelte';
import { joined } from '$lib/question.svelte';

export type NoteOn = Schemas['NoteOn'];
export interface Thing {
  about: NoteOn;
  key: string;
}

const KEY = 'note-marks';
const HIDDEN = 'hidden';
const PERIOD = /^(FY)?\d{4}(-|$)/;
const AGE = /^\d{1,4}$/;

class Marks {
  #shown = $state(keptText(KEY) !== HIDDEN);

  /** Whether marks are drawn: on the page, in pictures and in print. */
  get shown(): boolean {
    return this.#shown;
  }

  set shown(shown: boolean) {
    this.#shown = shown;
    keepText(KEY, shown ? null : HIDDEN);
  }
}
export const marks = new Marks();

/** Whether notes can be read here: in a book, by somebody who may. */
export const areRead = () =>
  address.book !== undefined && outside.link === undefined && me.may('keep lists and views');

/** Whether things have notes; nothing has any for whoever may read none, and while marks are hidden. */
export function useNoted(): { has: (about: NoteOn, key: string | number) => boolean } {
  const query = createQuery(() => ({
    queryKey: ['noted', address.book],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/notes/things', { params: { path: { book: Number(address.book) } } }),
      ),
    enabled: areRead(),
  }));
  const known = $derived(
    new Set(marks.shown ? query.data?.things.map(({ about, key }) => `${about} ${key}`) : []),
  );
  return { has: (about, key) => known.has(`${about} ${key}`) };
}

/** What a note about an opened figure is on: its cohort, a cell of it, or its period; undefined for other figures. */
export function thingOf(figure: object): Thing | undefined {
  const { cohort, age, at } = figure as Record<string, string | undefined>;
  if (cohort && PERIOD.test(cohort))
    return age && AGE.test(age)
      ? { about: 'cell', key: `${cohort}/${age}` }
      : { about: 'cohort', key: cohort };
  const period = [age, at].find((each) => each !== undefined && PERIOD.test(each));
  return period === undefined ? undefined : { about: 'period', key: period };
}

/** The period that a label is one of. */
function kindOf(label: string): string {
  const [name = '', rest = ''] = label.split('-');
  if (name.startsWith('FY')) return rest ? 'fiscal-quarter' : 'fiscal-year';
  if (label.includes('/')) return 'week';
  if (rest === '') return 'year';
  return rest.startsWith('Q') ? 'quarter' : rest.startsWith('W') ? 'week' : 'month';
}

/** Where the thing is shown that a note is on. */
export function placeOf(book: number, note: Schemas['NoteShape']): string {
  const between = note.about === 'cell' ? note.key.lastIndexOf('/') : note.key.length;
  const label = note.key.slice(0, between);
  const age = note.key.slice(between + 1) || 'all';
  const at = (stop: string, query: Record<string, string>) =>
    addressOf(book, stop, new URLSearchParams(query));
  switch (note.about) {
    case 'customer':
      return at('threads', { customer: note.key });
    case 'delivery':
      return at('import', { delivery: note.key });
    case 'list':
      return at('threads', { list: note.called });
    case 'period':
      return at('newness', { period: kindOf(label), open: joined([label, 'all']) });
    default:
      return at('cohorts', { period: kindOf(label), open: joined([label, age]) });
  }
}
