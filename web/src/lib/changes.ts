/** Changes of a book as they happen, whoever makes them. */

/** Tell every new revision of a book until the returned function is called. */
export function watchBook(book: number, tell: (revision: number) => void): () => void {
  const source = new EventSource(`/api/books/${book}/changes`);
  source.addEventListener('revision', (event: MessageEvent<string>) => tell(Number(event.data)));
  return () => source.close();
}
