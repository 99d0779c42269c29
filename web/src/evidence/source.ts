/** What an opened figure is asked with, wherever it stands: who is behind it, the recount, the list, the file. */
import { askOnce } from '$lib/answer.svelte';
import { api, answerOf, type Schemas } from '$lib/api/client';
import { searchOf } from '$lib/search';

/** A figure of a question: the question's own choices, and the figure's place in its answer. */
export interface Opened {
  book: number;
  question: string;
  query: object;
}

// the routes of all questions give the same shapes
export const behindOf = ({ question }: Opened) => `${question}/behind` as 'cohorts/behind';

export function recountOf({ book, question, query }: Opened, signal: AbortSignal) {
  return askOnce(`${question}/recount` as 'cohorts/recount', book, query, signal);
}

/** Keep the customers as a list; one without a name is named after who they are. */
export function keepOf(
  { book, question, query }: Opened,
  name: string,
  holdBack = 0,
): Promise<Schemas['CustomerListShape']> {
  const path = `/api/books/{book}/ask/${question}/list` as '/api/books/{book}/ask/cohorts/list';
  const params = { path: { book }, query: query as never };
  return answerOf(api.POST(path, { params, body: { name, hold_back: holdBack } }));
}

/** The orders as a file. */
export const fileOf = ({ book, question, query }: Opened) =>
  `/api/books/${book}/ask/${question}/behind?${searchOf(query)}`;
