/** Where an opened figure comes from: how it is shown, recounted, kept and downloaded. One for every stop. */
import { askOnce } from '$lib/answer.svelte';
import { api, answerOf, type Schemas } from '$lib/api/client';
import { searchOf } from '$lib/search';

/** The questions that have figures which open. */
type Opening =
  | 'cohorts'
  | 'newness'
  | 'counts'
  | 'gaps'
  | 'next-order'
  | 'due'
  | 'loom'
  | 'follow-up'
  | 'standing'
  | 'lapse-curve'
  | 'worked'
  | 'worth'
  | 'payback'
  | 'spend'
  | 'compare'
  | 'top-customers'
  | 'bought'
  | 'leads-to';

export interface EvidenceSource {
  page: (offset: number, limit: number, signal: AbortSignal) => Promise<Schemas['OpenedShape']>;
  recount: (signal: AbortSignal) => Promise<Schemas['RecountedShape']>;
  /** Keep the customers as a list; one without a name is named after who they are. */
  keep: (name: string) => Promise<Schemas['CustomerListShape']>;
  /** The orders as a file. */
  file: string;
}

/** What stands behind a figure of a stop: the stop's query and the figure's own place in it. */
export function evidenceOf(book: number, stop: Opening, asked: object): EvidenceSource {
  const params = { path: { book }, query: asked as never };
  // the stops' routes give the same shapes
  const [behind, recount] = [`${stop}/behind`, `${stop}/recount`] as ['cohorts/behind', 'cohorts/recount'];
  return {
    page: (offset, limit, signal) => askOnce(behind, book, { ...asked, offset, limit }, signal),
    recount: (signal) => askOnce(recount, book, asked, signal),
    keep: (name) =>
      answerOf(api.POST(`/api/books/{book}/ask/${stop}/list`, { params, body: { name, hold_back: 0 } })),
    file: `/api/books/${book}/ask/${stop}/behind?${searchOf(asked)}`,
  };
}
