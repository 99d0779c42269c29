/** The answer to a question, and to a long one the rows that are in sight. The last one stays until a new one is here,
 * also when the new one is refused. */
import { createQueries, createQuery, useQueryClient } from '@tanstack/svelte-query';
import { api, answerOf, problem as problemLike, problemOf, Refusal, type Problem } from './api/client';
import type { paths } from './api/generated';
import { outside } from './outside.svelte';

type PathOf<Name extends string> = `/api/books/{book}/ask/${Name}`;
type Get<Name extends string> = PathOf<Name> extends keyof paths ? paths[PathOf<Name>]['get'] : never;
/** What a question answers. */
export type AnswerTo<Name extends string> =
  Get<Name> extends { responses: { 200: { content: { 'application/json': infer Shape } } } } ? Shape : never;
/** What a question takes. */
export type QueryOf<Name extends string> =
  Get<Name> extends { parameters: { query?: infer Query } } ? NonNullable<Query> : never;

/** The rows of a long answer. */
export interface Rows<Row> {
  /** A row, once it is here. */
  row: (at: number) => Row | undefined;
  /** Make sure that some rows are here, or on their way. */
  want: (from: number, to: number) => void;
  /** Some rows, fetched if need be. */
  take: (from: number, to: number) => Promise<Row[]>;
}

/** A question of a book. `rows` says where the rows of a long answer stand. */
interface Asking<Answer, Row> {
  name: string;
  book: number;
  query: object;
  rows?: ((answer: Answer) => Row[]) | undefined;
  enabled?: boolean;
}

export interface Asked<Answer, Row = never> extends Rows<Row> {
  /** Which question is answered: the one before, while a new one is under way. */
  readonly name: string | undefined;
  readonly answer: Answer | undefined;
  readonly problem: Problem | undefined;
  /** The answer is to an earlier question. */
  readonly stale: boolean;
  again: () => void;
}

/** Rows that are asked for at once; an answer that a link keeps as it was comes whole, which is no more. */
const PAGE = outside.link === undefined ? 60 : 200;
const CLOSED = problemLike(
  'NotAllowed',
  'This link does not reach that',
  'It shows one view.',
  'Ask whoever gave you the link.',
  403,
);
/** For how long rows that are out of sight are kept. */
const KEPT_MS = 10_000;

/** One answer of a question by its address and query; whoever names the question has its types. */
export function askOnce<Name extends string>(
  name: Name,
  book: number,
  query: object,
  signal: AbortSignal,
): Promise<AnswerTo<Name>> {
  if (outside.link !== undefined) return askByLink(outside.link, name, query, signal);
  const params = { path: { book }, query } as never;
  // the address is one of the description's by construction, which no checker can follow through a template
  const path = `/api/books/{book}/ask/${name}` as PathOf<'cohorts'>;
  return answerOf(api.GET(path, { params, signal })) as unknown as Promise<AnswerTo<Name>>;
}

/** The same by a link for somebody outside, which knows its question. */
function askByLink<Name extends string>(
  link: number,
  name: Name,
  query: object,
  signal: AbortSignal,
): Promise<AnswerTo<Name>> {
  const part = { [outside.question]: 'answer', [`${outside.question}/behind`]: 'behind' }[name];
  if (!part) return Promise.reject(new Refusal(CLOSED));
  const path = `/api/shared/{link}/${part}` as '/api/shared/{link}/behind';
  const params = { path: { link }, query } as never;
  return answerOf(api.GET(path, { params, headers: outside.headers, signal })) as never;
}

/** What came back, and to what: a question may have become another one meanwhile. */
interface Page<Answer, Row> {
  of: string;
  asking: Asking<Answer, Row>;
  page: number;
  answer: Answer;
}

const idOf = ({ name, book, query }: Pick<Asking<unknown, unknown>, 'name' | 'book' | 'query'>) =>
  JSON.stringify([name, book, query]);

function pageOf<Answer, Row>(asking: Asking<Answer, Row>, page: number) {
  const { name, book, query, rows, enabled = true } = asking;
  const window = rows ? { offset: page * PAGE, limit: PAGE } : {};
  return {
    queryKey: [name, book, query, page],
    queryFn: async ({ signal }: { signal: AbortSignal }): Promise<Page<Answer, Row>> => {
      const answer = (await askOnce(name, book, { ...query, ...window }, signal)) as Answer;
      return { of: idOf(asking), asking, page, answer };
    },
    enabled,
  };
}

/** The answer to a question as it is asked now. */
export function useQuestion<Answer, Row = never>(asking: () => Asking<Answer, Row>): Asked<Answer, Row> {
  const client = useQueryClient();
  const first = createQuery(() => pageOf(asking(), 0));
  const asked = $derived(idOf(asking()));
  let last: Page<Answer, Row> | undefined;
  const shown = $derived.by(() => {
    last = first.data ?? last;
    return last;
  });
  /** The pages in sight, beyond the first, and of which question. */
  let sight = $state.raw<{ of: string; pages: readonly number[] }>({ of: '', pages: [] });
  const further = createQueries(() => {
    const known = shown;
    const pages = known && sight.of === known.of ? sight.pages : [];
    return {
      queries: known ? pages.map((page) => ({ ...pageOf(known.asking, page), gcTime: KEPT_MS })) : [],
    };
  });
  let kept = new Map<number, Row[]>();
  let keptOf = '';
  const rows = $derived.by(() => {
    const all = [first, ...further];
    // rows of two states of a book are never mixed: those before a change stay until all are here
    if (keptOf === shown?.of && all.some((each) => each.isRefetching)) return kept;
    const found = [shown, ...further.map((each) => each.data)].filter(
      (each) => each && each.of === shown?.of,
    );
    kept = new Map(
      found.flatMap((each) => (each ? [[each.page, each.asking.rows?.(each.answer) ?? []]] : [])),
    );
    keptOf = shown?.of ?? '';
    return kept;
  });
  const problem = $derived([first, ...further].find((each) => each.error)?.error);
  return {
    get name() {
      return shown?.asking.name;
    },
    get answer() {
      return shown?.answer;
    },
    get problem() {
      return problem ? problemOf(problem) : undefined;
    },
    get stale() {
      return shown !== undefined && shown.of !== asked;
    },
    again: () => {
      for (const each of [first, ...further]) if (each.error) void each.refetch();
    },
    row: (at) => rows.get(Math.floor(at / PAGE))?.[at % PAGE],
    take: async (from, to) => {
      if (!shown) return [];
      const { asking } = shown;
      const numbers = Array.from({ length: Math.ceil(to / PAGE) }, (_, page) => page).slice(
        Math.floor(from / PAGE),
      );
      const found: Row[] = [];
      // one after the other: nobody else should wait for it
      for (const page of numbers) {
        const { answer } = await client.query({ ...pageOf(asking, page), gcTime: KEPT_MS });
        found.push(...(asking.rows?.(answer) ?? []));
      }
      const begin = from - Math.floor(from / PAGE) * PAGE;
      return found.slice(begin, begin + to - from);
    },
    want: (from, to) => {
      const [begin, end] = [Math.floor(from / PAGE), Math.floor(Math.max(from, to - 1) / PAGE)];
      const pages = Array.from({ length: end - begin + 1 }, (_, at) => begin + at).filter((page) => page > 0);
      const of = shown?.of ?? '';
      if (of !== sight.of || pages.join() !== sight.pages.join()) sight = { of, pages };
    },
  };
}
