/** Where an opened figure comes from: every stop that has figures tells how to list, recount, hold and take them. */
import { api, told, type Schemas } from '$lib/api/client';
import type { paths } from '$lib/api/generated';
import { searchOf } from '$lib/search';

export interface Trace {
  /** Tells this figure from others. */
  key: string;
  page: (offset: number, limit: number, signal: AbortSignal) => Promise<Schemas['OpenedShape']>;
  recount: (signal: AbortSignal) => Promise<Schemas['RecountedShape']>;
  hold: () => Promise<Schemas['HoldShape']>;
  /** The orders as a file. */
  file: string;
  fileName: string;
}

export type CellQuery = paths['/api/books/{book}/cohorts/behind/recount']['get']['parameters']['query'];
export type StretchQuery = paths['/api/books/{book}/newness/behind/recount']['get']['parameters']['query'];

export function cohortTrace(book: number, query: CellQuery): Trace {
  const path = { book };
  return {
    key: `cohorts?${searchOf(query)}`,
    page: (offset, limit, signal) =>
      told(
        api.GET('/api/books/{book}/cohorts/behind', {
          params: { path, query: { ...query, offset, limit } },
          signal,
        }),
      ),
    recount: (signal) =>
      told(api.GET('/api/books/{book}/cohorts/behind/recount', { params: { path, query }, signal })),
    hold: () => told(api.POST('/api/books/{book}/cohorts/behind/hold', { params: { path, query } })),
    file: `/api/books/${book}/cohorts/behind?${searchOf(query)}`,
    fileName: `orders-behind-${query.cohort}-${query.age}.csv`,
  };
}

export function newnessTrace(book: number, query: StretchQuery): Trace {
  const path = { book };
  return {
    key: `newness?${searchOf(query)}`,
    page: (offset, limit, signal) =>
      told(
        api.GET('/api/books/{book}/newness/behind', {
          params: { path, query: { ...query, offset, limit } },
          signal,
        }),
      ),
    recount: (signal) =>
      told(api.GET('/api/books/{book}/newness/behind/recount', { params: { path, query }, signal })),
    hold: () => told(api.POST('/api/books/{book}/newness/behind/hold', { params: { path, query } })),
    file: `/api/books/${book}/newness/behind?${searchOf(query)}`,
    fileName: `orders-behind-${query.side ?? 'all'}-${query.at}.csv`,
  };
}
