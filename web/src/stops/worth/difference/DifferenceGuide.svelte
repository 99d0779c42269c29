<script lang="ts">
  import { count, counted, money, percent } from '$lib/format/figures';
  import { span } from '$lib/format/dates';
  import { question } from '$lib/question.svelte';
  import { apart, type Difference } from './made';

  let { answer }: { answer: Difference } = $props();
  const { whole } = $derived(answer);
  const few = $derived(answer.groups.filter((each) => each.few).length);
  const LINES = [
    ['customers who ordered', 'customers', 'all'],
    ['of these new', 'new_customers', 'new'],
    ['orders', 'orders', 'all'],
  ] as const;
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold">{apart(answer, whole.difference)}</span>
  {#if answer.unit !== 'share' && whole.before && whole.difference !== null}
    <span class="quiet font-semibold"
      >{whole.difference > 0 ? '+' : ''}{percent(whole.difference / whole.before)} %</span
    >
  {/if}
</p>
{#if whole.low !== null && whole.high !== null}
  <p class="text-sm">
    95 % interval {apart(answer, whole.low)} to {apart(answer, whole.high)}{whole.low <= 0 && whole.high >= 0
      ? ': chance alone can make such a difference.'
      : '.'}
  </p>
{/if}
<table class="mt-3 w-full text-sm">
  <thead>
    <tr class="quiet text-right">
      <th></th><th class="font-normal">before</th><th class="font-normal">after</th>
    </tr>
  </thead>
  <tbody>
    {#each LINES as [title, name, side] (name)}
      <tr>
        <th scope="row" class="text-left font-normal">{title}</th>
        {#each ['before', 'after'] as const as range (range)}
          <td class="text-right"
            ><button
              type="button"
              class="link min-h-6 min-w-6 text-right font-semibold"
              onclick={() => question.open(range, side)}>{count(answer[range][name])}</button
            ></td
          >
        {/each}
      </tr>
    {/each}
    <tr>
      <th scope="row" class="text-left font-normal">revenue</th>
      {#each ['before', 'after'] as const as range (range)}
        <td class="text-right font-semibold">{money(answer[range].revenue.toFixed(0))}</td>
      {/each}
    </tr>
  </tbody>
</table>
<p class="quiet mt-2 text-sm">
  Before: {span(answer.before.first_date, answer.before.last_date)}. After: {span(
    answer.after.first_date,
    answer.after.last_date,
  )}.
</p>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  {#if answer.is_rate}
    A rate differs because groups are more or less of all (their mix), and because the rate inside a group is
    another one (Kitagawa). The parts add up to the difference.
  {:else}
    Each factor’s part is the mean of what it changes, over every sequence in which the factors of before are
    replaced by those of after (Shapley). The parts add up to the difference.
  {/if}
  {#if answer.groups.some((each) => each.stands_out)}
    In bold: groups whose customers changed unlike those of all others.
  {/if}
  {#if few > 0}{counted(few, 'group')} of few customers.{/if}
</p>
