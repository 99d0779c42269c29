<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, takeCsv, told } from '$lib/api/client';
  import { isTyping } from '$lib/keys';
  import { monthOf } from '$lib/format/dates';
  import { count, counted, money, percent } from '$lib/format/figures';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import ThreadList from './ThreadList.svelte';
  import { Behind, type BehindQuery } from './behind.svelte';

  interface Props {
    book: number;
    revision: number;
    query: BehindQuery;
    currency: string;
    onclose: () => void;
  }
  let { book, revision, query, currency, onclose }: Props = $props();
  // the panel is made anew with its book
  // svelte-ignore state_referenced_locally
  const behind = new Behind(book);
  const client = useQueryClient();
  const head = $derived(behind.head);

  $effect(() => {
    void revision;
    void behind.open(query);
  });

  const big = $derived.by(() => {
    if (!head) return '';
    if (head.share !== null) return `${percent(head.share, query.cohort === 'all' ? 1 : 0)} %`;
    if (head.figure === 'orders') return count(head.orders);
    return head.figure === 'revenue' ? money(head.revenue) : count(head.customers);
  });
  const beside = $derived.by(() => {
    if (!head) return '';
    if (head.of_customers !== null)
      return `${count(head.customers)} of ${counted(head.of_customers, 'customer')}`;
    if (head.figure === 'orders') return `orders of ${counted(head.customers, 'customer')}`;
    if (head.figure === 'revenue') return `${currency} from ${counted(head.orders, 'order')}`;
    return head.share === null ? 'customers' : `by ${counted(head.customers, 'customer')}`;
  });

  async function hold(): Promise<void> {
    try {
      const params = { path: { book }, query };
      const held = await told(api.POST('/api/books/{book}/cohorts/behind/hold', { params }));
      await client.invalidateQueries();
      address.change({ held: String(held.id), held_as: null, open: null });
    } catch (error) {
      behind.problem = problemOf(error);
    }
  }

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'h' && !isTyping(event)) void hold();
  }

  function take(): void {
    const search = new URLSearchParams();
    for (const [name, value] of Object.entries(query)) {
      for (const each of [value].flat())
        if (each !== undefined && each !== null) search.append(name, String(each));
    }
    void takeCsv(
      `/api/books/${book}/cohorts/behind?${search}`,
      `orders-behind-${query.cohort}-${query.age}.csv`,
    );
  }
</script>

<svelte:window onkeydown={pressed} />
<section aria-label="Behind this number" class="flex h-full flex-col" class:dimmed={behind.stale && head}>
  <h2 class="text-xl">Behind this number</h2>
  {#if behind.problem}
    <ProblemNote problem={behind.problem} />
  {:else if head}
    <p aria-live="polite">
      <span class="font-serif text-4xl leading-tight font-semibold">{big}</span>
      <span class="quiet font-semibold">{beside}</span>
    </p>
    <p class="mt-1 text-sm">
      {head.words}
      {#if head.low !== null && head.high !== null}
        <span class="quiet">95 % range {percent(head.low)} to {percent(head.high)} %.</span>
      {/if}
      {#if head.note}<span class="quiet">{head.note}</span>{/if}
    </p>
    <p class="quiet mt-1 text-sm">
      Counted here: {counted(head.orders, 'order')}, {money(head.revenue)}
      {currency}, the ringed knots. The others are the same customers' other orders.
    </p>
    <div class="quiet mt-2 flex justify-between border-b border-base-300 pb-1 text-sm">
      <span>Customer</span><span class="flex w-[168px] justify-between"
        ><span>{monthOf(head.first_date)}</span><span>{monthOf(head.last_date)}</span></span
      >
    </div>
    <ThreadList {behind} {query} {head} />
  {/if}
  <div class="mt-2 flex gap-2 border-t border-base-300 pt-3 not-printed">
    <button class="btn btn-sm btn-primary" onclick={take} disabled={!head}>These orders as CSV</button>
    <button class="btn btn-sm" onclick={hold} disabled={!head}>Hold</button>
    <button class="btn btn-sm" onclick={onclose}>Close</button>
  </div>
</section>
