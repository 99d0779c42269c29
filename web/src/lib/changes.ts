/** Changes of a book as they happen, whoever makes them. */
import { ROOT } from './root';

/** A browser begins a stream again that was cut, but gives it up where a proxy answers in place of the server. */
const AGAIN_MS = 3_000;
const AGAIN_MOST_MS = 60_000;

/** Report every new revision of a book, and a mark of its lists that is another one once anything about them changed, and
 * whether the server is still bringing the book to it, and why it works alone where parts of the book cannot be asked,
 * until the returned function is called. A page that is hidden lets
 * go of its stream, because a browser keeps only a few connections to a server at a time; seen again, the page is told
 * how the book stands by then. */
export function watchBook(
  book: number,
  report: (state: { revision: number } | { lists: string }) => void,
  reportReading: (reading: boolean) => void,
  reportAlone: (why: string) => void,
): () => void {
  let source: EventSource | undefined;
  let again: ReturnType<typeof setTimeout> | undefined;
  let wait = AGAIN_MS;

  function listen(): void {
    clearTimeout(again);
    if (document.visibilityState === 'hidden') {
      source?.close();
      source = undefined;
      return;
    }
    if (source) return;
    source = new EventSource(`${ROOT}/api/books/${book}/changes`);
    source.addEventListener('open', () => (wait = AGAIN_MS));
    source.addEventListener('error', () => {
      if (source?.readyState !== EventSource.CLOSED) return;
      source = undefined;
      again = setTimeout(listen, wait);
      wait = Math.min(2 * wait, AGAIN_MOST_MS);
    });
    source.addEventListener('revision', (event: MessageEvent<string>) =>
      report({ revision: Number(event.data) }),
    );
    source.addEventListener('lists', (event: MessageEvent<string>) => report({ lists: event.data }));
    source.addEventListener('reading', (event: MessageEvent<string>) => reportReading(event.data === '1'));
    source.addEventListener('alone', (event: MessageEvent<string>) => reportAlone(event.data));
  }

  listen();
  document.addEventListener('visibilitychange', listen);
  return () => {
    clearTimeout(again);
    document.removeEventListener('visibilitychange', listen);
    source?.close();
  };
}
