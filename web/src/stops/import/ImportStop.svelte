<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, answerOf, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import ImportFile from './ImportFile.svelte';
  import OrdersInFiles from './OrdersInFiles.svelte';
  import ByHand from './ByHand.svelte';
  import DeliveryLog from './DeliveryLog.svelte';
  import BeforeImport from './BeforeImport.svelte';
  import HowToRead from './HowToRead.svelte';
  import OpenedDelivery from './OpenedDelivery.svelte';
  import Matches from './Matches.svelte';
  import WaitingFiles from './WaitingFiles.svelte';
  import { intakeOf } from './importing.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  // the stop is made anew with its book
  // svelte-ignore state_referenced_locally
  const intake = intakeOf(book.id);

  const VIEWS = { files: 'files', matches: 'matches', hand: 'by hand' };
  type View = keyof typeof VIEWS;
  const asked = $derived(address.query.get('view'));
  const view = $derived<View>(asked === 'matches' || asked === 'hand' ? asked : 'files');
  const opened = $derived(Number(address.query.get('delivery')) || null);

  const summary = createQuery(() => ({
    queryKey: ['book', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}', { params: { path: { book: book.id } } })),
  }));
  const held = $derived(summary.data);
  const further = $derived(
    held
      ? (
          [
            [held.payments, 'payment'],
            [held.spend, 'entry of spend'],
            [held.events, 'event'],
          ] as const
        )
          .filter(([many]) => many > 0)
          .map(([many, noun]) => `; ${counted(many, noun)}`)
          .join('')
      : '',
  );
</script>

<div
  class="flex min-h-9 shrink-0 flex-wrap items-center gap-x-6 border-b border-base-300"
  data-testid="holds"
>
  {#if held?.first_date && held.last_date}
    <p class="min-w-0">
      The book holds <b>{counted(held.orders, 'order')}</b> of <b>{counted(held.customers, 'customer')}</b>,
      {date(held.first_date)} to {date(held.last_date)}{further}.
    </p>
  {:else if held}
    <p>
      The book holds no order yet{held.customers
        ? `, and ${counted(held.customers, 'customer')}`
        : ''}{further}.
    </p>
  {/if}
  <nav class="tabs ml-auto shrink-0" aria-label="Ways in">
    {#each Object.entries(VIEWS) as [name, words] (name)}
      <button
        class={['tab', view === name && 'tab-active']}
        aria-current={view === name ? 'page' : undefined}
        onclick={() => address.change({ view: name === 'files' ? null : name, delivery: null })}
        >{words}</button
      >
    {/each}
  </nav>
</div>
{#if summary.error}<ProblemNote problem={problemOf(summary.error)} />{/if}
<h1 class="shrink-0 pt-2 text-[1.45rem] leading-9 font-normal">
  {#if opened}
    What one delivery changed.
  {:else if view === 'matches'}
    Who is one customer, and who only looks like it?
  {:else if view === 'hand'}
    Put one thing right by hand.
  {:else if intake.first}
    <HowToRead waiting={intake.first} sources={held?.known_sources ?? []} />
  {:else if held?.in_files}
    The orders stay where they are; everything else is imported here.
  {:else if intake.report}
    That is imported. Choose the next file.
  {:else}
    Import exports just as the shop or the desk gives them.
  {/if}
</h1>
<div class="flex min-h-0 flex-1 flex-col gap-4 pt-2 desk:flex-row desk:gap-6">
  <div class="flex min-w-0 flex-1 flex-col gap-3 pb-2 desk:overflow-y-auto">
    {#if view === 'files'}{#each intake.problems as problem, at (at)}<ProblemNote {problem} />{/each}{/if}
    {#if opened}
      <OpenedDelivery book={book.id} delivery={opened} />
    {:else if view === 'matches'}
      <Matches book={book.id} />
    {:else if view === 'hand'}
      <ByHand {book} sources={held?.sources ?? []} />
    {:else}
      {#if held?.in_files && !intake.first}<OrdersInFiles book={book.id} place={held.in_files} />{/if}
      {#if !intake.first}<WaitingFiles {intake} />{/if}
      <ImportFile {intake} book={book.id} />
    {/if}
  </div>
  <aside class="card card-border shrink-0 bg-base-100 p-4 desk:w-[332px] desk:overflow-y-auto">
    {#if intake.first && view === 'files' && !opened}
      <BeforeImport {intake} waiting={intake.first} currency={book.currency} />
    {/if}
    <DeliveryLog book={book.id} {opened} inFiles={!!held?.in_files} />
  </aside>
</div>

<style>
  .tab {
    color: var(--color-neutral);
  }
  .tab-active {
    border-bottom: 2px solid var(--gold);
    color: var(--color-base-content);
    font-weight: 600;
  }
</style>
