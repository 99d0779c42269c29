/** Changes of a book as they happen, whoever makes them. */

/** Report every new revision of a book, whether the server is still bringing the book to it, and a mark of its lists
 * that is another one once anything about them changed, until the returned
 * function is called. A page that is hidden lets go of its stream, because a browser keeps only a few connections to a
 * server at a time; seen again, the page is told of the revision that there is by then. */
export function watchBook(
  book: number,
  report: (revision: number) => void,
  reportReading: (reading: boolean) => void,
  reportLists: (lists: string) => void,
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
    source.addEventListener('lists', (event: MessageEvent<string>) => reportLists(event.data));
    source.addEventListener('reading', (event: MessageEvent<string>) => reportReading(event.data === '1'));
  }

  listen();
  document.addEventListener('visibilitychange', listen);
  return () => {
    document.removeEventListener('visibilitychange', listen);
    source?.close();
  };
}
