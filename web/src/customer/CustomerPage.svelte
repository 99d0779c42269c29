<script lang="ts">
  import { createQuery, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Problem } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import LargeThread from '$src/thread/LargeThread.svelte';
  import AddOrder from './AddOrder.svelte';
  import Facts from './Facts.svelte';
  import OrdersTable from './OrdersTable.svelte';

  interface Props {
    book: number;
    customer: number;
    onclose: () => void;
    onchoose: (name: string, values: string[]) => void;
  }
  let { book, customer, onclose, onchoose }: Props = $props();
  const client = useQueryClient();
  const reading = $derived(address.choices([]));
  const path = $derived({ book, customer });
  const ISO_DATE = /^\d{4}-\d{2}-\d{2}$/;
  let adding = $state(false);
  let failed = $state.raw<Problem>();

  const asked = createQuery(() => ({
    queryKey: ['customer', book, customer, reading],
    queryFn: ({ signal }) =>
      told(
        api.GET('/api/books/{book}/threads/customers/{customer}', {
          params: { path, query: reading },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  }));
  const page = $derived(asked.data);
  const marks = $derived(
    page
      ? Object.entries(page.about).map(([name, value]) =>
          name === 'closed' ? 'closed' : name === 'do_not_contact' ? 'do not contact' : saidOf(name, value),
        )
      : [],
  );

  function saidOf(name: string, value: string): string {
    return ISO_DATE.test(value) ? `${name.replaceAll('_', ' ')} ${date(value)}` : value;
  }

  async function hold(): Promise<void> {
    try {
      const held = await told(
        api.POST('/api/books/{book}/threads/customers/{customer}/hold', { params: { path, query: reading } }),
      );
      failed = undefined;
      await client.invalidateQueries();
      address.change({ held: String(held.id) });
    } catch (error) {
      failed = problemOf(error);
    }
  }
</script>

<section aria-label="Customer" class="flex min-h-0 min-w-0 flex-1 flex-col border-l border-base-300 pl-6">
  {#if asked.error}
    <ProblemNote problem={problemOf(asked.error)} />
    <button class="btn btn-sm mt-2 self-start" onclick={onclose}>Close</button>
  {:else if page}
    <header class="flex items-start justify-between gap-4" class:dimmed={asked.isPlaceholderData}>
      <div class="min-w-0">
        <h2 class="truncate text-[1.7rem] leading-9" title={page.name}>{page.name}</h2>
        <p class="quiet truncate text-sm">{[...marks, ...page.keys].join(' · ')}</p>
      </div>
      <div class="flex shrink-0 gap-2 not-printed">
        <button class="btn btn-sm" onclick={hold}>Hold</button>
        <button class="btn btn-sm btn-primary" aria-expanded={adding} onclick={() => (adding = !adding)}
          >Add an order</button
        >
        <button class="btn btn-sm btn-ghost" onclick={onclose}>Close</button>
      </div>
    </header>
    {#if failed}<ProblemNote problem={failed} />{/if}
    {#if adding}
      <AddOrder
        {book}
        customer={page.keys[0] ?? ''}
        usual={page.orders.at(-1)?.order.source ?? ''}
        onclose={() => (adding = false)}
      />
    {/if}
    <div class="flex min-h-0 flex-1 flex-col" class:dimmed={asked.isPlaceholderData}>
      <Facts {page} {onchoose} />
      {#if page.orders.length > 0 || page.payments.length > 0}
        <LargeThread {page} />
      {/if}
      {#if page.orders.length > 0}
        <OrdersTable {book} {page} />
      {:else}
        <p class="mt-4">
          {page.not_counted > 0
            ? `No order counts: the reading line leaves ${counted(page.not_counted, 'order')} out.`
            : 'This customer has never ordered. Add an order when the first one comes.'}
        </p>
      {/if}
    </div>
  {/if}
</section>
