<script lang="ts">
  import { date } from '$lib/format/dates';
  import { count, counted, decimal, money, nounFor } from '$lib/format/figures';
  import type { Counts } from './liveWindow.svelte';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Counts } = $props();
  const outside = $derived(answer.customers - answer.with_orders);
  const rows = $derived([
    ['mean', answer.mean === null ? '—' : decimal(answer.mean, 2)],
    ['median', answer.median === null ? '—' : String(answer.median)],
    ['most often (mode)', answer.mode === null ? '—' : String(answer.mode)],
  ]);
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold">{count(answer.with_orders)}</span>
  <span class="quiet font-semibold">{nounFor(answer.with_orders, 'customer')} ordered in the window</span>
</p>
<p class="text-sm">
  {counted(answer.orders, 'order')}, {money(answer.revenue, true)}
  {answer.currency}, from {date(answer.first_date)} to {date(answer.last_date)}, both included.
</p>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Orders per customer</h2>
<dl class="mt-1 grid grid-cols-[1fr_auto] gap-x-3 gap-y-0.5">
  {#each rows as [label, value] (label)}
    <dt>{label}</dt>
    <dd class="text-right font-semibold">{value}</dd>
  {/each}
</dl>
<p class="quiet mt-1 text-sm">Of those who ordered in the window; nobody else counts as 0.</p>
{#if outside > 0}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">No order in the window</h2>
  <p class="text-sm">
    {counted(outside, 'customer')} of the {count(answer.customers)} looked at: they ordered at other times, or never.
    <button
      class="word"
      onclick={() => question.choose('zero', [answer.zero === 'shown' ? 'hidden' : 'shown'])}
      >{answer.zero === 'shown' ? 'hide them' : 'show them'}</button
    >
  </p>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  A window never changes who a customer is: it only chooses which orders are counted. A short one makes many
  one-timers; the repeat-purchase rates under the bars are of the whole book and stay as they are.
</p>
