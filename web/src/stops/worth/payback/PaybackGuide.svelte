<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import { periodName } from '$lib/format/dates';
  import { amount } from '../curves';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Schemas['PaybackShape'] } = $props();
  const MOST_NAMED = 4;
  const whole = $derived(answer.whole);
  const known = $derived(answer.cohorts.filter((curve) => curve.start !== null));
  const late = $derived(known.filter((curve) => curve.paid_back === null));
  /** How many cohorts were paid back by each age, and the first of them as an example. */
  const byAge = $derived.by(() => {
    const ages = [...new Set(known.flatMap((curve) => (curve.paid_back === null ? [] : [curve.paid_back])))];
    return ages
      .sort((one, other) => one - other)
      .map((age) => ({ age, cohorts: known.filter((curve) => curve.paid_back === age) }));
  });
</script>

{#snippet named(cohorts: typeof known, age: number | null)}
  {counted(cohorts.length, 'cohort')}:
  {#each cohorts.slice(0, MOST_NAMED) as curve, at (at)}{at > 0 ? ', ' : ''}<button
      class="hit hover:underline"
      onclick={() => question.open(age ?? Math.max(0, curve.values.length - 1), curve.label)}
      >{periodName(curve.label)}</button
    >{/each}{cohorts.length > MOST_NAMED ? ' …' : ''}
{/snippet}

<p>
  <span class="font-serif text-4xl leading-tight font-semibold"
    >{whole.start === null || !answer.margin_set
      ? '—'
      : whole.paid_back === null
        ? 'not yet'
        : `${spoken(answer.period)} ${whole.paid_back}`}</span
  >
  <span class="quiet font-semibold">winning one is paid back</span>
</p>
<p class="text-sm">
  {#if !answer.margin_set}When that is paid back cannot be said without the gross margin. Say it in the
    sentence, or once for the book under <em>Usual settings</em>.
  {:else if whole.start === null}What winning a customer cost is not known: no spend is recorded. Import
    spend, or say a cost in the sentence.
  {:else}Winning one of {counted(whole.customers, 'customer')} cost {amount(-whole.start)}
    {answer.currency} on average.{/if}
</p>
{#if known.length > 0 && answer.margin_set}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Break-even age, by cohort</h2>
  <dl class="grid grid-cols-[auto_1fr] gap-x-3 text-sm">
    {#each byAge as { age, cohorts } (age)}
      <dt class="font-semibold">{spoken(answer.period)} {age}</dt>
      <dd class="truncate" title={cohorts.map((curve) => periodName(curve.label)).join(', ')}>
        {@render named(cohorts, age)}
      </dd>
    {/each}
    {#if late.length > 0}
      <dt class="font-semibold">not yet</dt>
      <dd class="truncate" title={late.map((curve) => periodName(curve.label)).join(', ')}>
        {@render named(late, null)}
      </dd>
    {/if}
  </dl>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  {answer.figure === 'profit'
    ? 'Every curve begins below zero, at what winning a customer cost, and crosses zero when that is paid back.'
    : 'Revenue is drawn before the cost of goods and before CAC.'}
  {answer.groups.length > 0
    ? 'Spend is that of the channel where customers are split by their first channel; else all share one.'
    : `A thin line is a cohort, dotted where its age still runs; the dark one is all together${answer.figure === 'profit' ? ' with its 95 % confidence interval' : ''}.`}
  The average rests on the cohorts that are old enough, so the oldest ages are those of the oldest cohorts. Affordable
  CAC is profit before CAC: revenue less the cost of goods.
</p>
