<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, problemOf, told, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import DeliveryLog from './DeliveryLog.svelte';
  import DropPlace from './DropPlace.svelte';
  import FileTable from './FileTable.svelte';
  import GoesIn from './GoesIn.svelte';
  import HowToRead from './HowToRead.svelte';
  import Report from './Report.svelte';
  import { Intake } from './intake.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const client = useQueryClient();
  // the stop is made anew with its book
  // svelte-ignore state_referenced_locally
  const intake = new Intake(book.id, () => client.invalidateQueries());

  const summary = createQuery(() => ({
    queryKey: ['book', book.id],
    queryFn: () => told(api.GET('/api/books/{book}', { params: { path: { book: book.id } } })),
  }));
  const held = $derived(summary.data);
</script>

<p class="flex h-9 shrink-0 items-center border-b border-base-300" data-testid="holds">
  {#if held?.first_date && held.last_date}
    <span>
      The book holds <b>{counted(held.orders, 'order')}</b> of <b>{counted(held.customers, 'customer')}</b>,
      {date(held.first_date)} to {date(held.last_date)}, from {held.sources.join(', ')}.
    </span>
  {:else if held}
    <span>The book is empty. Bring its first order export in.</span>
  {/if}
</p>
{#if summary.error}<ProblemNote problem={problemOf(summary.error)} />{/if}
<h1 class="shrink-0 pt-2 text-[1.45rem] leading-10 font-normal">
  {#if intake.file}
    <HowToRead {intake} file={intake.file} sources={held?.known_sources ?? []} />
  {:else if intake.report}
    That is in. Bring the next one.
  {:else}
    Bring an export in, just as the shop or the desk gives it.
  {/if}
</h1>
<main class="flex min-h-0 flex-1 gap-6 pt-1">
  <div class="flex min-w-0 flex-1 flex-col gap-3 overflow-y-auto">
    {#if intake.problem}<ProblemNote problem={intake.problem} />{/if}
    {#if intake.file}
      {#if intake.report}<Report report={intake.report} />{/if}
      <FileTable {intake} file={intake.file} />
    {:else}
      {#if intake.report}<Report report={intake.report} />{/if}
      <DropPlace {intake} />
    {/if}
  </div>
  <aside
    class="flex w-[348px] shrink-0 flex-col overflow-y-auto rounded-box border border-base-300 bg-base-100 p-4"
  >
    {#if intake.file}<GoesIn {intake} file={intake.file} />{/if}
    <DeliveryLog book={book.id} />
  </aside>
</main>
