<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, counted, decimal, nounFor } from '$lib/format/figures';
  import { days } from '../gaps';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Schemas['GapsShape'] } = $props();
  const all = $derived(answer.together);
</script>

{#if all}
  <p>
    <span class="font-serif text-4xl leading-tight font-semibold">{days(all.median)}</span>
    <span class="quiet font-semibold">days between orders, median</span>
  </p>
  <p class="text-sm">
    <button class="hit font-semibold hover:underline" onclick={() => question.open('', '')}
      >{counted(all.gaps, 'gap')}</button
    >
    of {counted(all.customers, 'customer')}; half of them last {days(all.lower_quartile)} to {days(
      all.upper_quartile,
    )} days.
  </p>
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Two averages</h2>
  <dl class="mt-1 grid grid-cols-[1fr_auto] gap-x-3 gap-y-0.5">
    <dt>mean over gaps</dt>
    <dd class="text-right font-semibold">{decimal(all.mean)}</dd>
    <dt>mean over customers</dt>
    <dd class="text-right font-semibold">{decimal(all.mean_over_customers)}</dd>
  </dl>
  <p class="quiet mt-1 text-sm">
    The first counts every gap once, so it is that of those who order often. The second counts every customer
    once.
  </p>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Who has none</h2>
<p class="text-sm">
  {counted(answer.one_order, 'customer')} with one order: a gap needs two.
  {#if answer.no_order > 0}{count(answer.no_order)} without any.{/if}
  <span class="quiet">They are in no average; none of them counts as 0 days.</span>
</p>
{#if answer.same_day > 0}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Same-day orders</h2>
  <p class="text-sm">
    {counted(answer.same_day, 'gap')} of 0 {nounFor(0, 'day')}: a second order on the same date.
    <button class="word" onclick={() => question.choose('unit', ['purchase-day'])}
      >count purchase days instead</button
    >
  </p>
{/if}
{#if answer.groups.length > 0}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
  <p class="quiet text-sm">
    Each row is a histogram, as thick as there are gaps of that length. Dark is the middle half, the dot the
    median. The axis stretches the first weeks. Click a bar to see whose gaps they are.
  </p>
{/if}
