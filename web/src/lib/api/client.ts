/** The typed client of our own API; types come from its OpenAPI document alone. */
import createClient, { type Middleware } from 'openapi-fetch';
import { me } from '../me.svelte';
import { ROOT } from '../root';
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

/** A problem that the page itself meets. */
export function problem(kind: string, title: string, detail: string, remedy: string, status = 0): Problem {
  return { type: `urn:goldthread:${kind}`, title, status, detail, remedy, field: '', row: null, at: null };
}

export const UNREACHABLE = problem(
  'Unreachable',
  'No answer',
  'The server does not answer.',
  'Start it with make start, then try again. Nothing you typed is lost.',
);
/** A part of the page itself that did not come. */
export const UNLOADED = problem(
  'Unloaded',
  'This part of the page could not be loaded',
  'The server did not give it.',
  'See that it runs, then load the page again.',
);

export const api = createClient<paths>({ baseUrl: `${ROOT}/` });

let session: Promise<Schemas['SessionShape']> | undefined;

/** The session, asked for once. */
export function openSession(): Promise<Schemas['SessionShape']> {
  session ??= answerOf(api.GET('/api/session'))
    .then((found) => me.see(found))
    .catch((error: unknown) => {
      session = undefined;
      throw error;
    });
  return session;
}

/** Another session: of whoever has just signed in, or out. */
export function takeSession(now: Schemas['SessionShape']): void {
  session = Promise.resolve(now);
  me.take(now);
}

/** Who sent the request is not known any more: it is sent again once somebody has signed in. */
const SIGNED_OUT = 'urn:goldthread:SignInNeeded';
/** A body that is not kept, to be sent again: it may be larger than the page's memory. */
const FILES = 'multipart/form-data';
const copies = new WeakMap<Request, Request>();

const sendsToken: Middleware = {
  async onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', (await openSession()).csrf_token);
    if (!request.headers.get('Content-Type')?.startsWith(FILES)) copies.set(request, request.clone());
    return request;
  },
};
const signsIn: Middleware = {
  async onResponse({ request, response }) {
    if (response.status !== 401) return;
    const told = (await response
      .clone()
      .json()
      .catch(() => undefined)) as Problem | undefined;
    if (told?.type !== SIGNED_OUT) return;
    session = undefined;
    await openSession();
    const copy = copies.get(request);
    if (!copy) {
      void me.signedIn();
      return;
    }
    await me.signedIn();
    const again = copy.clone();
    if (again.method !== 'GET') again.headers.set('X-CSRFToken', (await openSession()).csrf_token);
    return fetch(again);
  },
};
const hears: Middleware = {
  onResponse({ request, response }) {
    if (request.method !== 'GET')
      seen.hear(new URL(request.url).pathname.slice(ROOT.length), response.headers.get('Book-State'));
  },
};
api.use(sendsToken, hears, signsIn);

type Reply<T> = { data?: T; error?: unknown; response: Response };

/** The JSON of a reply (files are fetched by `fetchFile`); throws a `Refusal` otherwise. */
export async function answerOf<T>(reply: Promise<Reply<T>>): Promise<Exclude<T, string>> {
  let settled: Reply<T>;
  try {
    settled = await reply;
  } catch (error) {
    throw isAbort(error) ? error : new Refusal(error instanceof SyntaxError ? garbled() : UNREACHABLE);
  }
  if (settled.data !== undefined) return settled.data as Exclude<T, string>;
  throw refusalOf(settled.error, settled.response.status);
}

const isAbort = (error: unknown) => error instanceof DOMException && error.name === 'AbortError';

/** What was refused, by the body of the reply; one that is not the server's own is told by its status. */
export function refusalOf(body: unknown, status: number): Refusal {
  const isOurs = typeof body === 'object' && body !== null && 'title' in body && 'detail' in body;
  return new Refusal(isOurs ? (body as Problem) : garbled(status));
}

function garbled(status = 0): Problem {
  return problem(
    'Garbled',
    status > 0 ? `The reply was an error ${status}` : 'The reply made no sense',
    'It does not come from the server itself; something between here and there may have given it.',
    'Try again in a moment. If it stays so, tell whoever looks after the server.',
    status,
  );
}

/** The problem behind a thrown thing. What nobody foresaw is told as what it is. */
export function problemOf(error: unknown): Problem {
  if (error instanceof Refusal) return error.problem;
  const words = error instanceof Error ? error.message : String(error);
  return problem('Fault', 'That did not work', `${words}.`.replace('..', '.'), 'Try again.', 500);
}
