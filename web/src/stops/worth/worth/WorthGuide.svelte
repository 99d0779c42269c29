<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { valueWords } from './measures';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Schemas['WorthShape'] } = $props();
  const SEEN = [
    'orders',
    'customers',
    'revenue',
    'gross_margin',
    'purchase_frequency',
    'average_retention_rate',
    'average_churn_rate',
    'spend',
    'new_customers',
    'cac',
    'observed_profit',
    'break_even_age',
  ];
  /** Those that the sentence does not say already. */
  const shown = $derived(SEEN.flatMap((name) => answer.measures.filter((each) => each.measure === name)));
</script>

{#if answer.changed}
  <h2 class="text-lg">What if</h2>
  <p class="border-l-2 border-primary pl-2 text-sm" data-testid="if">{answer.changed.words}</p>
  <p class="quiet mb-2 text-sm">
    The dashed line. All else stays as observed; those who come back more often are taken to bring as much
    each time.
  </p>
{/if}
<h2 class="text-lg">The figures behind it</h2>
<dl class="mt-1 grid grid-cols-[1fr_auto] gap-x-3 gap-y-0.5 text-sm">
  {#each shown as measure (measure.measure)}
    <dt title={measure.definition}>{measure.title}</dt>
    <dd class="text-right">
      <button
        class="hit font-semibold hover:underline"
        title={measure.definition}
        onclick={() => question.open(measure.measure)}
        >{valueWords(answer.measures, measure.measure, spoken(answer.period))}</button
      >
    </dd>
  {/each}
</dl>
{#if answer.misleads}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Where the formula misleads</h2>
  <p class="text-sm">{answer.misleads}</p>
{/if}
