<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { count, money, nounFor } from '$lib/format/figures';
  import { inUnits } from '$lib/format/units';

  let { answer, onopenall }: { answer: Schemas['CohortsShape']; onopenall: () => void } = $props();
  const leftOut = $derived(
    [
      [answer.left_out_by_rule, 'by status or source'],
      [answer.left_out_by_condition, 'by the condition or the list'],
      [answer.left_out_after_as_of, 'dated after the as-of date'],
    ].flatMap(([orders, why]) => (orders ? [`${count(Number(orders))} ${why}`] : [])),
  );
</script>

<h2 class="text-xl">What is counted</h2>
<p class="mt-1">
  <strong>{count(answer.customers)}</strong> customers with an order,
  <strong>{count(answer.orders)}</strong> orders,
  <strong>{money(answer.revenue)}</strong>
  {answer.currency} revenue.
  {#if leftOut.length}<span class="quiet">Left out: {leftOut.join('; ')}.</span>{/if}
</p>
{#if answer.all.overall !== null}
  <button class="mt-2 block w-full border-y border-base-300 py-1.5 text-left" onclick={onopenall}>
    <span class="font-serif text-3xl font-semibold">{inUnits(answer.all.overall, answer.unit)}</span>
    <span class="quiet"
      >on average in any later {spoken(answer.period)}, over {count(answer.all.cells)} complete {nounFor(
        answer.all.cells,
        'cell',
      )}</span
    >
  </button>
{/if}
