<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, money, percent } from '$lib/format/figures';
  import { ramp, RAMP_STEPS } from './grid';

  let { answer, onopenall }: { answer: Schemas['CohortsShape']; onopenall: () => void } = $props();

  const top = $derived(ramp(answer).top);
  const topWords = $derived(
    answer.figure === 'retention'
      ? `${percent(top)} %`
      : answer.figure === 'revenue'
        ? money(String(Math.round(top)))
        : count(top),
  );
  const steps = Array.from({ length: RAMP_STEPS }, (_, at) => at);
  const reads = $derived([
    ['Along a row', 'one cohort as it grows older'],
    ['Down a column', 'all cohorts at the same age'],
    ['Along the diagonal', `one calendar ${answer.period}, whoever ordered in it`],
  ]);
</script>

<h2 class="text-xl">What is counted</h2>
<dl class="mt-3 grid grid-cols-[auto_1fr] gap-x-3 gap-y-1">
  <dt class="text-right font-semibold">{count(answer.customers)}</dt>
  <dd>customers with an order</dd>
  <dt class="text-right font-semibold">{count(answer.orders)}</dt>
  <dd>orders</dd>
  <dt class="text-right font-semibold">{money(answer.revenue)}</dt>
  <dd>{answer.currency} revenue</dd>
  {#if answer.left_out_by_rule}
    <dt class="quiet text-right">{count(answer.left_out_by_rule)}</dt>
    <dd class="quiet">left out by status or source</dd>
  {/if}
  {#if answer.left_out_by_condition}
    <dt class="quiet text-right">{count(answer.left_out_by_condition)}</dt>
    <dd class="quiet">left out by the condition or by who is in hand</dd>
  {/if}
  {#if answer.left_out_after_as_of}
    <dt class="quiet text-right">{count(answer.left_out_after_as_of)}</dt>
    <dd class="quiet">dated after the as-of date</dd>
  {/if}
</dl>
{#if answer.figure === 'retention' && answer.all.overall_retention_rate !== null}
  <button class="mt-3 block w-full border-y border-base-300 py-2 text-left" onclick={onopenall}>
    <span class="font-serif text-3xl font-semibold">{percent(answer.all.overall_retention_rate, 1)} %</span>
    <span class="quiet">on average in any later {answer.period}</span>
  </button>
{/if}

<h2 class="mt-4 text-xl">How to read it</h2>
<ul class="mt-2 grid gap-1.5">
  <li class="flex items-center gap-3">
    <span class="flex" aria-hidden="true"
      >{#each steps as step (step)}<span class="swatch ramp-{step}"></span>{/each}</span
    >
    0 to {topWords}
  </li>
  <li class="flex items-center gap-3">
    <span class="mark ramp-4 partial" aria-hidden="true"></span>{answer.period} still running, not averaged
  </li>
  {#if answer.figure === 'retention'}
    <li class="flex items-center gap-3">
      <span class="mark ramp-4 odd" aria-hidden="true"></span>out of line with its column: look twice
    </li>
  {/if}
  <li class="flex items-center gap-3">
    <span class="quiet w-6 text-center text-xs" aria-hidden="true">small</span>fewer than 30 customers: read
    the range
  </li>
  <li class="flex items-center gap-3"><span class="mark" aria-hidden="true"></span>empty: not yet</li>
</ul>
<dl class="mt-3 grid gap-1 border-t border-base-300 pt-3">
  {#each reads as [way, meaning] (way)}
    <div>
      <dt class="inline font-semibold">{way}:</dt>
      <dd class="inline">{meaning}.</dd>
    </div>
  {/each}
</dl>
<p class="quiet mt-3">Customers do not add up along a row: one customer can come back at many ages.</p>

<style>
  .swatch {
    width: 11px;
    height: 14px;
  }
  .mark {
    width: 24px;
    height: 16px;
    flex: none;
  }
  .mark:not(.ramp-4) {
    border: 1px dashed var(--color-base-300);
  }
</style>
