<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import { periodName } from '$lib/format/dates';
  import { amount } from './curves';
  import { question } from './question.svelte';

  let { answer }: { answer: Schemas['PaybackShape'] } = $props();
  const whole = $derived(answer.whole);
  const known = $derived(answer.cohorts.filter((curve) => curve.start !== null));
  const late = $derived(known.filter((curve) => curve.paid_back === null && curve.complete > 0));
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold"
    >{whole.start === null
      ? '—'
      : whole.paid_back === null
        ? 'not yet'
        : `${answer.period} ${whole.paid_back}`}</span
  >
  <span class="quiet font-semibold">winning one is paid back</span>
</p>
<p class="text-sm">
  {#if whole.start === null}What winning a customer cost is not known: no spend is recorded. Import spend, or
    say a cost in the sentence.
  {:else}Winning one of {counted(whole.customers, 'customer')} cost {amount(-whole.start)}
    {answer.currency} on average.{/if}
</p>
{#if known.length > 0}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Cohorts</h2>
  <p class="text-sm">
    {known.length - late.length} of {counted(known.length, 'cohort')} are paid back.
    {#if late.length > 0}Not yet:
      {#each late.slice(0, 6) as curve, at (curve.label)}{at > 0 ? ', ' : ''}<button
          class="font-semibold hover:underline"
          onclick={() => question.open(curve.complete - 1, curve.label)}>{periodName(curve.label)}</button
        >{/each}{late.length > 6 ? ` and ${late.length - 6} more` : ''}.{/if}
  </p>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  Every curve begins below zero, at what winning a customer cost, and crosses zero when that is paid back.
  {answer.groups.length > 0
    ? 'Spend is that of the channel where customers are split by their first channel; else all share one.'
    : 'A thin line is a cohort; the dark one is all together with its 95 % range.'}
  The average rests on the cohorts that are old enough, so the oldest ages are those of the oldest cohorts. Affordable
  CAC is profit before CAC: revenue less the cost of goods.
</p>
