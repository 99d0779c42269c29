<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { counted } from '$lib/format/figures';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import OpenedBrief from './OpenedBrief.svelte';

  /** The briefs of a book, or the one that is opened. */
  let { book }: { book: Schemas['BookShape'] } = $props();
  const opened = $derived(Number(address.query.get('brief')) || null);
  const path = $derived({ book: book.id });
  const briefs = createQuery(() => ({
    queryKey: ['briefs', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}/briefs', { params: { path } })),
  }));
  let name = $state('');
  const add = useChange(
    () => answerOf(api.POST('/api/books/{book}/briefs', { params: { path }, body: { name } })),
    (brief) => address.change({ brief: String(brief.id) }),
  );
  const there = (brief: Schemas['BriefShape']) => new URLSearchParams({ brief: String(brief.id) });

  function begin(event: SubmitEvent): void {
    event.preventDefault();
    void add.run(undefined);
  }
</script>

{#if opened}
  {#key opened}<OpenedBrief {book} brief={opened} />{/key}
{:else}
  <div class="mx-auto grid w-full max-w-3xl gap-5 pt-2 pb-8">
    <div>
      <h1 class="text-2xl">Briefs of {book.name}</h1>
      <p class="quiet">
        A brief is a page for others: what you found, in your words, with the figure as it is now and as it
        was when you pinned it.
      </p>
    </div>
    {#if briefs.error}
      <FailedNote problem={problemOf(briefs.error)} onagain={() => void briefs.refetch()} />
    {/if}
    <ul class="grid" data-testid="briefs">
      {#each briefs.data?.briefs ?? [] as brief (brief.id)}
        <li class="flex flex-wrap items-baseline gap-x-4 border-t border-base-300 py-2">
          <a
            class="word font-semibold"
            href={addressOf(book.id, 'briefs', there(brief))}
            onclick={(event) => followed(event, () => address.visit(book.id, 'briefs', there(brief)))}
            >{brief.name}</a
          >
          <span class="quiet text-sm"
            >{counted(brief.findings, 'finding')}{brief.made_by
              ? `, begun by ${brief.made_by}`
              : ''}{brief.shared ? '' : ', seen by nobody else'}</span
          >
        </li>
      {:else}
        {#if briefs.data}
          <li class="quiet border-t border-base-300 py-2">
            None yet. Name one here, or choose <b>pin this</b> at any stop.
          </li>
        {/if}
      {/each}
    </ul>
    <form class="flex flex-wrap items-end gap-3" onsubmit={begin}>
      <label class="grid gap-1 text-sm"
        >Name of a new brief<input
          class="input w-80 max-w-full"
          maxlength="120"
          placeholder="October for the Monday meeting"
          required
          bind:value={name}
        /></label
      >
      <button class="btn btn-primary" disabled={add.pending}>Begin brief</button>
    </form>
    {#if add.problem}<ProblemNote problem={add.problem} />{/if}
  </div>
{/if}
