<script lang="ts">
  import { address } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';
  import WordMenu from '$src/sentence/WordMenu.svelte';

  let {
    book,
    books,
    onbegin,
  }: { book: Schemas['BookShape']; books: Schemas['BookShape'][]; onbegin: () => void } = $props();
  const BEGIN = 'begin';
  const TAKE = 'take';
  const options = $derived([
    ...books.map((each) => ({ value: String(each.id), label: `${each.name} · ${each.currency}` })),
    { value: BEGIN, label: 'Begin another book, or bring one back' },
    { value: TAKE, label: 'Take this whole book out as a file' },
  ]);

  function chosen([value]: string[]): void {
    if (value === BEGIN) onbegin();
    else if (value === TAKE) location.assign(`/api/books/${book.id}/package`);
    else address.visit(Number(value), address.stop ?? 'intake');
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
