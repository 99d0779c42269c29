/** Changes of a book as they happen, whoever makes them. */

/** Report every new revision of a book, and whether the server is still bringing the book to it, until the returned
 * function is called. A page that is hidden lets go of its stream, because a browser keeps only a few connections to a
 * server at a time; seen again, the page is told of the revision that there is by then. */
export function watchBook(
  book: number,
  report: (revision: number) => void,
  reportReading: (reading: boolean) => void,
): () => void {
  let source: EventSource | undefined;

  function listen(): void {
    if (document.visibilityState === 'hidden') {
      source?.close();
      source = undefined;
      return;
    }
    if (source) return;
    source = new EventSource(`/api/books/${book}/changes`);
    source.addEventListener('revision', (event: MessageEvent<string>) => report(Number(event.data)));
    source.addEventListener('reading', (event: MessageEvent<string>) => reportReading(event.data === '1'));
  }

  listen();
  document.addEventListener('visibilitychange', listen);
  return () => {
    document.removeEventListener('visibilitychange', listen);
    source?.close();
  };
}
