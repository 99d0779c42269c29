/** The typed client of our own API; types come from its OpenAPI document alone. */
import createClient, { type Middleware } from 'openapi-fetch';
import { seen } from '../seen.svelte';
import type { components, paths } from './generated';

export type Schemas = components['schemas'];
export type Problem = Schemas['ProblemDetails'];

/** An answer that was refused, with what happened, where, and what to do. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

export const UNREACHABLE: Problem = {
  type: 'urn:goldthread:Unreachable',
  title: 'No answer',
  status: 0,
  detail: 'The server does not answer.',
  remedy: 'Start it with make start, then try again. Nothing you typed is lost.',
  field: '',
  row: null,
  at: null,
};

/** A part of the page itself that did not come. */
export const UNLOADED: Problem = {
  ...UNREACHABLE,
  title: 'This part of the page could not be loaded',
  detail: 'The server did not give it.',
  remedy: 'See that it runs, then load the page again.',
};

export const api = createClient<paths>({ baseUrl: '/' });

let session: Promise<Schemas['SessionShape']> | undefined;

/** The session, asked for once. */
export function openSession(): Promise<Schemas['SessionShape']> {
  session ??= answerOf(api.GET('/api/session')).catch((error: unknown) => {
    session = undefined;
    throw error;
  });
  return session;
}

const sendsToken: Middleware = {
  async onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', (await openSession()).csrf_token);
    return request;
  },
};
const hears: Middleware = {
  onResponse({ request, response }) {
    if (request.method !== 'GET')
      seen.hear(new URL(request.url).pathname, response.headers.get('Book-State'));
  },
};
api.use(sendsToken, hears);

type Reply<T> = { data?: T; error?: unknown };

/** The JSON of a reply (files are fetched by `fetchFile`); throws a `Refusal` otherwise. */
export async function answerOf<T>(reply: Promise<Reply<T>>): Promise<Exclude<T, string>> {
  let settled: Reply<T>;
  try {
    settled = await reply;
  } catch (error) {
    throw error instanceof DOMException && error.name === 'AbortError' ? error : new Refusal(UNREACHABLE);
  }
  if (settled.data !== undefined) return settled.data as Exclude<T, string>;
  throw new Refusal((settled.error as Problem | undefined) ?? UNREACHABLE);
}

/** The problem behind a thrown thing. */
export function problemOf(error: unknown): Problem {
  return error instanceof Refusal ? error.problem : UNREACHABLE;
}
