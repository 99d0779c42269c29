<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import BringIn from './BringIn.svelte';
  import ByHand from './ByHand.svelte';
  import DeliveryLog from './DeliveryLog.svelte';
  import GoesIn from './GoesIn.svelte';
  import HowToRead from './HowToRead.svelte';
  import OpenedDelivery from './OpenedDelivery.svelte';
  import WhoIsWho from './WhoIsWho.svelte';
  import { Intake } from './intake.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const client = useQueryClient();
  // the stop is made anew with its book
  // svelte-ignore state_referenced_locally
  const intake = new Intake(book.id, () => client.invalidateQueries());

  const VIEWS = { files: 'files', who: 'who is who', hand: 'by hand' };
  type View = keyof typeof VIEWS;
  const asked = $derived(address.query.get('view'));
  const view = $derived<View>(asked === 'who' || asked === 'hand' ? asked : 'files');
  const opened = $derived(Number(address.query.get('delivery')) || null);

  const summary = createQuery(() => ({
    queryKey: ['book', book.id],
    queryFn: () => told(api.GET('/api/books/{book}', { params: { path: { book: book.id } } })),
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

<div class="flex h-9 shrink-0 items-center gap-6 border-b border-base-300" data-testid="holds">
  {#if held?.first_date && held.last_date}
    <p class="min-w-0 truncate">
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
  <nav class="ml-auto flex shrink-0 gap-5" aria-label="Ways in">
    {#each Object.entries(VIEWS) as [name, words] (name)}
      <button
        class="way"
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
    What one delivery brought.
  {:else if view === 'who'}
    Who is one customer, and who only looks like it?
  {:else if view === 'hand'}
    Put one thing right by hand.
  {:else if intake.file}
    <HowToRead {intake} file={intake.file} sources={held?.known_sources ?? []} />
  {:else if intake.report}
    That is in. Bring the next one.
  {:else}
    Bring exports in, just as the shop or the desk gives them.
  {/if}
</h1>
<main class="flex min-h-0 flex-1 gap-6 pt-2">
  <div class="flex min-w-0 flex-1 flex-col gap-3 overflow-y-auto pb-2">
    {#if intake.problem && view === 'files'}<ProblemNote problem={intake.problem} />{/if}
    {#if opened}
      <OpenedDelivery book={book.id} delivery={opened} />
    {:else if view === 'who'}
      <WhoIsWho book={book.id} />
    {:else if view === 'hand'}
      <ByHand book={book.id} sources={held?.sources ?? []} />
    {:else}
      <BringIn {intake} book={book.id} />
    {/if}
  </div>
  <aside
    class="flex w-[348px] shrink-0 flex-col overflow-y-auto rounded-box border border-base-300 bg-base-100 p-4"
  >
    {#if intake.file && view === 'files' && !opened}
      <GoesIn {intake} file={intake.file} currency={book.currency} />
    {/if}
    <DeliveryLog book={book.id} {opened} />
  </aside>
</main>

<style>
  .way {
    cursor: pointer;
    color: var(--color-neutral);
    border-bottom: 2px solid transparent;
    line-height: 2.05rem;
  }
  .way:hover {
    color: var(--color-base-content);
  }
  .way[aria-current] {
    color: var(--color-base-content);
    font-weight: 600;
    border-bottom-color: var(--gold);
  }
</style>
