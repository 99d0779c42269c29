<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date } from '$lib/format/dates';
  import { me } from '$lib/me.svelte';
  import { printing } from '$lib/printing.svelte';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import ShareOutside from '$src/people/ShareOutside.svelte';
  import FindingForm from './FindingForm.svelte';
  import FindingItem from './FindingItem.svelte';

  /** One brief: findings one below the other, and what becomes of them. */
  let { book, brief }: { book: Schemas['BookShape']; brief: number } = $props();
  const path = $derived({ book: book.id, brief });
  const query = createQuery(() => ({
    queryKey: ['brief', book.id, brief],
    queryFn: () => answerOf(api.GET('/api/books/{book}/briefs/{brief}', { params: { path } })),
    placeholderData: keepPreviousData,
  }));
  const schedules = createQuery(() => ({
    queryKey: ['schedules', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}/schedules', { params: { path: { book: book.id } } })),
    enabled: me.may('import and correct'),
  }));
  const held = $derived(query.data?.brief);
  const findings = $derived(query.data?.findings ?? []);
  const mayEdit = $derived(
    held !== undefined && (me.made(held.made_by) || (held.shared && me.may('import and correct'))),
  );
  const pinned = $derived(findings.filter((each) => each.pinned));
  const changed = $derived(pinned.filter((each) => each.changed));
  const letters = $derived(
    (schedules.data?.schedules ?? []).filter((each) => each.name === held?.name && each.kind === 'letter'),
  );
  /** Who wrote, and when last. */
  const writers = $derived.by(() => {
    const latest: Record<string, string> = {};
    for (const { made_by, made_at, edited_by, edited_at } of findings)
      for (const [who, at] of [
        [made_by, made_at],
        [edited_by, edited_at ?? ''],
      ] as const)
        if (at && at > (latest[who] ?? '')) latest[who] = at;
    return Object.entries(latest).sort(([, one], [, other]) => other.localeCompare(one));
  });

  let writing = $state(false);
  let naming = $state(false);
  let removing = $state(false);
  let name = $state('');
  const change = useChange((body: Schemas['BriefIn']) =>
    answerOf(
      api.PUT('/api/books/{book}/briefs/{brief}', {
        params: { path },
        body,
        headers: { 'If-Match': `"${held?.version ?? 0}"` },
      }),
    ),
  );
  const add = useChange((body: Schemas['Written']) =>
    answerOf(
      api.POST('/api/books/{book}/briefs/{brief}/findings', {
        params: { path },
        body: { ...body, pinned: null },
      }),
    ),
  );
  const remove = useChange(
    () => answerOf(api.DELETE('/api/books/{book}/briefs/{brief}', { params: { path } })),
    () => address.change({ brief: null }),
  );

  function move(at: number, by: number): () => void {
    return () => {
      const order = findings.map(({ id }) => id);
      const [taken] = order.splice(at, 1);
      if (taken !== undefined) order.splice(at + by, 0, taken);
      void change.run({ name: held?.name ?? '', order });
    };
  }

  async function rename(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await change.run({ name, order: findings.map(({ id }) => id) })) naming = false;
  }
  const asLetter = $derived(new URLSearchParams({ letter: `brief:${held?.name ?? ''}` }));
</script>

{#if query.error}
  <FailedNote problem={problemOf(query.error)} onagain={() => void query.refetch()} />
{/if}
{#if held}
  <div class="flex min-h-0 flex-1 flex-col gap-6 pt-2 desk:flex-row">
    <div class="min-w-0 flex-1 desk:overflow-y-auto desk:pr-2" class:dimmed={query.isPlaceholderData}>
      {#if naming}
        <form class="flex flex-wrap items-center gap-3" onsubmit={rename}>
          <input
            class="input w-96 max-w-full text-lg"
            aria-label="Name of the brief"
            maxlength="120"
            required
            bind:value={name}
          />
          <button class="btn btn-primary btn-sm" disabled={change.pending}>Rename</button>
          <button type="button" class="word text-sm" onclick={() => (naming = false)}>keep the name</button>
        </form>
      {:else}
        <h1 class="text-[1.7rem] leading-9">{held.name}</h1>
      {/if}
      {#if change.problem}<ProblemNote problem={change.problem} />{/if}
      <p class="quiet">
        {book.name}{held.made_by ? `, begun by ${held.made_by}` : ''} on {date(
          held.made_at.slice(0, 10),
        )}{held.shared ? '' : ', seen by nobody else'}.
      </p>
      <ol class="mt-3">
        {#each findings as finding, at (finding.id)}
          <FindingItem
            book={book.id}
            {brief}
            {finding}
            {mayEdit}
            onup={at > 0 ? move(at, -1) : undefined}
            ondown={at < findings.length - 1 ? move(at, 1) : undefined}
          />
        {/each}
      </ol>
      {#if mayEdit}
        <div class="border-t border-base-300 py-3 not-printed">
          {#if writing}
            <FindingForm
              from={{ heading: '', words: '', live: true }}
              pinned={false}
              change={add}
              words="Add words"
              onclose={() => {
                writing = false;
                add.reset();
              }}
            />
          {:else}
            <p class="quiet">
              <button class="word" onclick={() => (writing = true)}>write words here</button>, or open any
              stop, and <b>pin this</b>: a view, or a figure of it.
            </p>
          {/if}
        </div>
      {/if}
    </div>
    <aside
      class="card card-border block shrink-0 bg-base-100 p-4 not-printed desk:w-[288px] desk:overflow-y-auto"
    >
      {#if me.may('import and correct')}
        <h2 class="text-lg">To be sent</h2>
        {#each letters as letter (letter.id)}
          <p class="mt-1 text-sm">{letter.words}.</p>
        {:else}
          <p class="quiet mt-1 text-sm">Nobody gets it by itself yet.</p>
        {/each}
        <p class="mt-1 text-sm">
          <a
            class="word"
            href={addressOf(book.id, 'schedules', asLetter)}
            onclick={(event) => followed(event, () => address.visit(book.id, 'schedules', asLetter))}
            >send it on a schedule</a
          >
        </p>
      {/if}
      <h2 class="mt-4 text-lg">Changed since it was pinned</h2>
      <p class="mt-1 text-sm">
        {#if pinned.length === 0}Nothing is pinned yet.{:else}{changed.length} of {pinned.length}
          {pinned.length === 1 ? 'finding' : 'findings'}.{/if}
      </p>
      {#if writers.some(([who]) => who)}
        <h2 class="mt-4 text-lg">Written by</h2>
        {#each writers as [who, at] (who)}<p class="text-sm">
            {who || 'a command'}, {date(at.slice(0, 10))}
          </p>{/each}
      {/if}
      <div class="mt-5 flex flex-wrap items-center gap-2">
        <DownloadButton file="/api/books/{book.id}/briefs/{brief}/file" look="btn btn-sm btn-primary"
          >Download as a page</DownloadButton
        >
        <button class="btn btn-sm" onclick={() => void printing.print()}>Print</button>
      </div>
      {#if me.session?.has_accounts && me.may('decide about the book')}
        <p class="mt-3 text-sm"><ShareOutside {book} words={held.name} /></p>
      {/if}
      <p class="mt-4 flex flex-wrap gap-x-4 text-sm">
        <button class="word" onclick={() => address.change({ brief: null })}>all briefs</button>
        {#if mayEdit}
          <button
            class="word"
            onclick={() => {
              name = held.name;
              naming = true;
            }}>rename</button
          >
          {#if removing}
            <span
              >remove all of it?
              <button class="word text-error" disabled={remove.pending} onclick={() => remove.run(undefined)}
                >yes</button
              >
              <button class="word" onclick={() => (removing = false)}>no</button></span
            >
          {:else}<button class="word" onclick={() => (removing = true)}>remove</button>{/if}
        {/if}
      </p>
      {#if remove.problem}<ProblemNote problem={remove.problem} />{/if}
    </aside>
  </div>
{:else if !query.error}
  <p class="quiet mt-6" role="status">Asking for what is pinned…</p>
{/if}
