<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { me } from '$lib/me.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import NoteForm from './NoteForm.svelte';
  import NoteItem from './NoteItem.svelte';
  import type { Thing } from './noted.svelte';

  /** The notes on one thing, and a place to write another. */
  let { book, thing }: { book: number; thing: Thing } = $props();
  const AT_ONCE = 20;
  let shown = $state(AT_ONCE);
  let writing = $state(false);
  const notes = createQuery(() => ({
    queryKey: ['notes', book, thing.about, thing.key, shown],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/notes', {
          params: { path: { book }, query: { ...thing, limit: shown } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: me.may('keep lists and views'),
  }));
  const add = useChange((text: string) =>
    answerOf(api.POST('/api/books/{book}/notes', { params: { path: { book } }, body: { ...thing, text } })),
  );
</script>

{#if me.may('keep lists and views')}
  <section class="grid gap-2" aria-label="Notes">
    {#if notes.error}
      <FailedNote problem={problemOf(notes.error)} onagain={() => void notes.refetch()} />
    {/if}
    {#if notes.data && notes.data.total > 0}
      <ul class="grid gap-2">
        {#each notes.data.notes as note (note.id)}
          <li class="border-l-2 border-base-content pl-2"><NoteItem {book} {note} /></li>
        {/each}
      </ul>
      {#if notes.data.total > shown}
        <button class="word justify-self-start text-sm" onclick={() => (shown = Math.min(500, shown * 4))}
          >earlier ones: {notes.data.total - shown} more</button
        >
      {/if}
    {/if}
    {#if writing}
      <NoteForm
        change={add}
        words="Write note"
        onclose={() => {
          writing = false;
          add.reset();
        }}
      />
    {:else}
      <button class="word justify-self-start text-sm not-printed" onclick={() => (writing = true)}
        >write a note</button
      >
    {/if}
  </section>
{/if}
