/** The answer to a stop's question. The last one stays until a new one is here, also when the new one is refused. */
import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
import { api, answerOf, problemOf, type Problem } from './api/client';
import type { paths } from './api/generated';

type PathOf<Name extends string> = `/api/books/{book}/ask/${Name}`;
type Get<Name extends string> = PathOf<Name> extends keyof paths ? paths[PathOf<Name>]['get'] : never;
/** What a question answers. */
export type AnswerTo<Name extends string> =
  Get<Name> extends { responses: { 200: { content: { 'application/json': infer Shape } } } } ? Shape : never;
/** What a question takes. */
export type QueryOf<Name extends string> =
  Get<Name> extends { parameters: { query?: infer Query } } ? NonNullable<Query> : never;

export interface Asked<Answer> {
  readonly answer: Answer | undefined;
  readonly problem: Problem | undefined;
  /** The answer is to an earlier question. */
  readonly stale: boolean;
  again: () => void;
}

/** One answer of a question by its address and query; whoever names the question has its types. */
export function askOnce<Name extends string>(
  name: Name,
  book: number,
  query: object,
  signal: AbortSignal,
): Promise<AnswerTo<Name>> {
  const params = { path: { book }, query } as never;
  // the address is one of the description's by construction, which no checker can follow through a template
  const path = `/api/books/{book}/ask/${name}` as PathOf<'cohorts'>;
  return answerOf(api.GET(path, { params, signal })) as unknown as Promise<AnswerTo<Name>>;
}

/** The answer to a question as it is asked now. */
export function useAnswer<Name extends string>(
  name: Name,
  asked: () => { book: number; query: object; enabled?: boolean },
): Asked<AnswerTo<Name>> {
  const found = createQuery(() => {
    const { book, query, enabled = true } = asked();
    return {
      queryKey: [name, book, query],
      queryFn: ({ signal }: { signal: AbortSignal }) => askOnce(name, book, query, signal),
      placeholderData: keepPreviousData,
      enabled,
    };
  });
  let last: AnswerTo<Name> | undefined;
  const answer = $derived.by(() => {
    last = found.data ?? last;
    return last;
  });
  return {
    get answer() {
      return answer;
    },
    get problem() {
      return found.error ? problemOf(found.error) : undefined;
    },
    get stale() {
      return answer !== undefined && (found.isPlaceholderData || found.data === undefined);
    },
    again: () => void found.refetch(),
  };
}
