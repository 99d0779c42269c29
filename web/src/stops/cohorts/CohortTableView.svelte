<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import { question } from '$lib/question.svelte';
  import CohortGrid from './CohortGrid.svelte';
  import Readout from './Readout.svelte';
  import { columnCount, fit } from './gridLayout';
  import { table } from './table.svelte';

  let { answer }: { answer: Schemas['CohortsShape'] } = $props();

  let width = $state(0);
  let height = $state(0);
  const laid = $derived(fit(answer, width, height, table.showsNumbers));
  const abridged = $derived(fit(answer, width, height, false).abridged);
  const pointed = $derived(table.pointed);
  $effect(() => {
    table.abridges = abridged;
  });
</script>

<div
  class="mt-1 h-[70vh] min-h-0 desk:h-auto desk:flex-1 print:h-auto"
  bind:clientWidth={width}
  bind:clientHeight={height}
>
  {#if columnCount(answer) === 0}
    <div class="mt-6 max-w-prose">
      <p class="text-lg">Nobody can have come back yet.</p>
      <p class="quiet my-2">
        There is one {spoken(answer.period)} of orders, {periodName(answer.cohorts[0]?.cohort ?? '')}, with {counted(
          answer.customers,
          'customer',
        )}. The table begins with the {spoken(answer.period)} after it. A shorter span shows more, or the first
        {spoken(answer.period)}
        itself.
      </p>
      <button class="btn btn-sm" onclick={() => question.choose('first_column', ['shown'])}
        >Show the first {spoken(answer.period)}</button
      >
    </div>
  {:else if width > 0}
    <CohortGrid
      {answer}
      fit={laid}
      room={{ width, height }}
      {pointed}
      opened={question.opened}
      onpoint={(at) => (table.pointed = at)}
      onopen={(cohort, age) => question.open(cohort, age)}
    />
  {/if}
</div>
<Readout {answer} {pointed} />
