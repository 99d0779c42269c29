<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { finished } from '$lib/jobs';
  import { me } from '$lib/me.svelte';
  import DownloadState from '$src/download/DownloadState.svelte';
  import { Download } from '$src/download/download.svelte';
  import { follow } from '$src/download/fetchFile';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import type { Stop } from './stop';

  interface Props {
    book: Schemas['BookShape'];
    books: Schemas['BookShape'][];
    /** Pages about the book that stand in its menu. */
    pages: readonly Stop[];
    onbegin: (begins: boolean) => void;
  }
  let { book, books, pages, onbegin }: Props = $props();
  const BEGIN = 'begin';
  const TAKE = 'take';
  const options = $derived([
    ...books.map((each) => ({ value: String(each.id), label: `${each.name} · ${each.currency}` })),
    ...pages.map((each) => ({ value: each.name, label: each.title })),
    ...(me.session?.may_begin_books ? [{ value: BEGIN, label: 'New book, or import one' }] : []),
    ...(me.may('decide about the book') ? [{ value: TAKE, label: 'Export this whole book as a file' }] : []),
  ]);
  const download = new Download();

  function chosen([value]: string[]): void {
    if (value === TAKE) void download.run(exported);
    else if (value === BEGIN) onbegin(true);
    else if (pages.some((each) => each.name === value)) address.visit(book.id, value ?? '');
    else {
      onbegin(false);
      address.visit(Number(value), address.stop ?? 'overview');
    }
  }

  /** The server writes the file first, however long that takes; then the browser takes it. */
  async function exported(): Promise<void> {
    const path = { book: book.id };
    const made = await finished(
      answerOf(api.POST('/api/books/{book}/package', { params: { path } })),
      (now) => (download.job = now),
    );
    follow(made);
  }
</script>

<WordMenu
  text="{book.name} · {book.currency}"
  title="Book"
  chosen={[String(book.id)]}
  {options}
  onchoose={chosen}
  quiet
/>
<span class="absolute top-full left-0 z-10 max-w-72 bg-base-200 text-xs"><DownloadState {download} /></span>
