<script lang="ts">
  import { spoken } from '$lib/periods';
  import { counted } from '$lib/format/figures';
  import { periodName } from '$lib/format/dates';
  import { question } from '$lib/question.svelte';
  import { amount } from '../curves';
  import { bounds, figure, type Forecast } from './said';

  let { answer }: { answer: Forecast } = $props();
  const MOST_NAMED = 4;
  const furthest = $derived(answer.next.at(-1));
  const few = $derived(answer.factors.filter((each) => each.few));
</script>

{#if furthest}
  <p>
    <span class="font-serif text-4xl leading-tight font-semibold">{figure(answer, furthest.value)}</span>
    <span class="quiet font-semibold">in the next {furthest.months} months</span>
  </p>
  <p class="text-sm">
    {bounds(answer, furthest) ? `95 % interval ${bounds(answer, furthest)}, of ` : 'Of '}{counted(
      furthest.cohorts,
      'cohort',
    )} on record.
  </p>
  <dl class="mt-2 grid grid-cols-[auto_1fr] gap-x-3 text-sm">
    {#each answer.next.slice(0, -1) as each (each.months)}
      <dt>next {each.months} months</dt>
      <dd class="text-right font-semibold">{figure(answer, each.value)}</dd>
    {/each}
  </dl>
{:else}
  <p class="text-sm">
    Too few cohorts are old enough for a step from one {spoken(answer.period)} to the next. Choose a shorter period,
    or let it go on where few carry it.
  </p>
{/if}
{#if answer.is_money && answer.per_customer.length > 0}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">
    {answer.figure === 'profit'
      ? 'Customer lifetime value, by forecast'
      : 'Revenue per customer, by forecast'}
  </h2>
  <dl class="grid grid-cols-[auto_1fr] gap-x-3 text-sm">
    {#each answer.per_customer as each (each.age)}
      <dt>by {spoken(answer.period)} {each.age}</dt>
      <dd class="text-right" title={bounds(answer, each)}><strong>{amount(each.value)}</strong></dd>
    {/each}
  </dl>
  <p class="text-sm">
    <button class="word" onclick={() => question.visit('worth')}>the shop-floor formula</button>
  </p>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  Left of the gold step stands what came; beyond it what each cohort will bring if it grows as earlier ones
  did. A forecast is never part of an average of what was, and new customers are not invented.
  {#if few.length > 0}
    From {spoken(answer.period)}
    {few[0]?.age} on, fewer than three cohorts or {answer.small_below} customers carry a step.
  {/if}
  {#if answer.left_out.length > 0}
    Without a part in it, because they began with nothing or fell below it: {answer.left_out
      .slice(0, MOST_NAMED)
      .map(periodName)
      .join(', ')}{answer.left_out.length > MOST_NAMED ? ' …' : ''}.
  {/if}
</p>
