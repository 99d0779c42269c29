<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { problemOf, takeCsv } from '$lib/api/client';
  import { isTyping } from '$lib/keys';
  import { monthOf } from '$lib/format/dates';
  import { counted, money, percent } from '$lib/format/figures';
  import { told } from '$lib/format/units';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import Recount from './Recount.svelte';
  import ThreadList from './ThreadList.svelte';
  import { Behind } from './behind.svelte';
  import type { Trace } from './trace';

  interface Props {
    book: number;
    revision: number;
    trace: Trace;
    currency: string;
    onclose: () => void;
  }
  let { book, revision, trace, currency, onclose }: Props = $props();
  // the panel is made anew with its book
  // svelte-ignore state_referenced_locally
  const behind = new Behind(book);
  const client = useQueryClient();
  const head = $derived(behind.head);
  const decimals = $derived(head?.averaged ? 1 : 0);

  $effect(() => {
    void revision;
    void behind.open(trace);
  });

  async function hold(): Promise<void> {
    try {
      const held = await trace.hold();
      await client.invalidateQueries();
      address.change({ held: String(held.id), held_as: null, open: null });
    } catch (error) {
      behind.problem = problemOf(error);
    }
  }

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'h' && !isTyping(event)) void hold();
  }
</script>

<svelte:window onkeydown={pressed} />
<section aria-label="Behind this number" class="flex h-full flex-col" class:dimmed={behind.stale && head}>
  <h2 class="text-xl">Behind this number</h2>
  {#if behind.problem}
    <ProblemNote problem={behind.problem} />
  {:else if head}
    <p aria-live="polite">
      <span class="font-serif text-4xl leading-tight font-semibold"
        >{told(head.value, head.unit, decimals)}</span
      >
      <span class="quiet font-semibold">{head.unit === 'money' ? `${currency} ` : ''}{head.beside}</span>
    </p>
    <p class="mt-1 text-sm">
      {head.words}
      {#if head.low !== null && head.high !== null}
        <span class="quiet">95 % range {percent(head.low)} to {percent(head.high)} %.</span>
      {/if}
      {#if head.note}<span class="quiet">{head.note}</span>{/if}
    </p>
    {#if head.unusual.length > 0}
      <div class="mt-1 border-l-2 border-error pl-2 text-sm">
        <p class="font-semibold">What is unusual here</p>
        {#each head.unusual as line (line)}<p>{line}</p>{/each}
      </div>
    {/if}
    <p class="quiet mt-1 text-sm">
      {#if head.orders > 0}
        Counted here: {counted(head.orders, 'order')}, {money(head.revenue)}
        {currency}, the ringed knots. The others are the same customers' other orders.
      {:else}
        These customers have no order there; the knots are their other orders.
      {/if}
    </p>
    <Recount recounted={behind.recounted} {currency} />
    <div class="quiet mt-1 flex justify-between border-b border-base-300 pb-1 text-sm">
      <span>Customer</span><span class="flex w-[168px] justify-between"
        ><span>{monthOf(head.first_date)}</span><span>{monthOf(head.last_date)}</span></span
      >
    </div>
    <ThreadList {behind} {head} />
  {/if}
  <div class="mt-2 flex gap-2 border-t border-base-300 pt-3 not-printed">
    <button
      class="btn btn-sm btn-primary"
      onclick={() => takeCsv(trace.file, trace.fileName)}
      disabled={!head?.orders}>These orders as CSV</button
    >
    <button class="btn btn-sm" onclick={hold} disabled={!head}>Hold</button>
    <button class="btn btn-sm" onclick={onclose}>Close</button>
  </div>
</section>
