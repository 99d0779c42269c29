<script lang="ts">
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { moment } from '$lib/format/dates';
  import { me } from '$lib/me.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import NoteForm from './NoteForm.svelte';

  /** One note: its text, who wrote it when, and what its author may do. */
  let { book, note }: { book: number; note: Schemas['NoteShape'] } = $props();
  let editing = $state(false);
  let removing = $state(false);
  /** The version that is being edited: somebody else may write another one meanwhile. */
  let seen = $state(0);
  const path = $derived({ book, note: note.id });
  const edit = useChange((text: string) =>
    answerOf(
      api.PUT('/api/books/{book}/notes/{note}', {
        params: { path },
        body: { text },
        headers: { 'If-Match': `"${seen}"` },
      }),
    ),
  );
  const remove = useChange(() =>
    answerOf(api.DELETE('/api/books/{book}/notes/{note}', { params: { path } })),
  );
</script>

{#if editing}
  <NoteForm
    text={note.text}
    change={edit}
    words="Save note"
    onclose={() => {
      editing = false;
      edit.reset();
    }}
  />
{:else}
  <p class="break-words whitespace-pre-line">{note.text}</p>
  {#if remove.problem}<ProblemNote problem={remove.problem} />{/if}
  <p class="quiet flex flex-wrap gap-x-3 text-sm">
    <span
      >{[note.made_by, moment(note.made_at)].filter(Boolean).join(', ')}{note.edited_at
        ? `, edited ${moment(note.edited_at)}`
        : ''}{note.shared ? '' : ', seen by nobody else'}</span
    >
    {#if me.made(note.made_by)}
      <span class="flex gap-3 not-printed">
        {#if removing}
          remove it?
          <button class="word text-error" disabled={remove.pending} onclick={() => remove.run(undefined)}
            >yes</button
          >
          <button class="word" onclick={() => (removing = false)}>no</button>
        {:else}
          <button
            class="word"
            onclick={() => {
              seen = note.version;
              editing = true;
            }}>edit</button
          >
          <button class="word" onclick={() => (removing = true)}>remove</button>
        {/if}
      </span>
    {/if}
  </p>
{/if}
