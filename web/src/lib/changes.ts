/** Changes of a book as they happen, whoever makes them. */

/** Tell every new revision of a book, and whether the server is still bringing the book to it, until the returned
 * function is called. */
export function watchBook(
  book: number,
  tell: (revision: number) => void,
  tellReading: (reading: boolean) => void,
): () => void {
  const source = new EventSource(`/api/books/${book}/changes`);
  source.addEventListener('revision', (event: MessageEvent<string>) => tell(Number(event.data)));
  source.addEventListener('reading', (event: MessageEvent<string>) => tellReading(event.data === '1'));
  return () => source.close();
}
