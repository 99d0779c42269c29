<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import NoteItem from './NoteItem.svelte';
  import { marks, placeOf } from './noted.svelte';

  /** Every note of a book, and those with words in them. */
  let { book }: { book: Schemas['BookShape'] } = $props();
  const AT_ONCE = 100;
  const WAIT_MS = 250;
  let shown = $state(AT_ONCE);
  const find = $derived(address.query.get('find') ?? '');
  const notes = createQuery(() => ({
    queryKey: ['notes', book.id, 'all', find, shown],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/notes', {
          params: { path: { book: book.id }, query: { find, limit: shown } },
        }),
      ),
    placeholderData: keepPreviousData,
  }));
  let soon: ReturnType<typeof setTimeout> | undefined;

  function typed(text: string): void {
    clearTimeout(soon);
    soon = setTimeout(() => address.change({ find: text || null }, false), WAIT_MS);
  }
</script>

<div class="mx-auto grid w-full max-w-3xl gap-4 pt-2 pb-8">
  <div>
    <h1 class="text-2xl">What was noted in {book.name}</h1>
    <p class="quiet">
      A note is written where its thing is opened: a customer, a delivery, a list, a figure of a cohort or a
      period. A small mark stands there.
    </p>
  </div>
  <p class="flex flex-wrap items-center gap-x-6 gap-y-2">
    <input
      type="search"
      class="input input-sm w-72 max-w-full"
      aria-label="Find in notes"
      placeholder="words in the note"
      maxlength="200"
      value={find}
      oninput={(event) => typed(event.currentTarget.value)}
    />
    <label class="flex items-center gap-2 text-sm"
      ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={marks.shown} />
      Marks are drawn, also in pictures and in print</label
    >
  </p>
  {#if notes.error}
    <FailedNote problem={problemOf(notes.error)} onagain={() => void notes.refetch()} />
  {/if}
  {#if notes.data}
    <p class="quiet text-sm" role="status">{counted(notes.data.total, 'note')}{find ? ' with it' : ''}</p>
    <ul class="grid gap-3" data-testid="notes" class:dimmed={notes.isPlaceholderData}>
      {#each notes.data.notes as note (note.id)}
        <li class="border-t border-base-300 pt-2">
          <a class="word font-semibold" href={placeOf(book.id, note)}>{note.on}</a>
          <NoteItem book={book.id} {note} />
        </li>
      {/each}
    </ul>
    {#if notes.data.total > notes.data.notes.length && shown < 500}
      <button class="word justify-self-start text-sm" onclick={() => (shown = Math.min(500, shown + AT_ONCE))}
        >earlier ones: {notes.data.total - notes.data.notes.length} more</button
      >
    {/if}
  {/if}
</div>
