<script lang="ts">
  import { onDestroy } from 'svelte';
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import CohortBars from './CohortBars.svelte';
  import CohortLines from './CohortLines.svelte';
  import CohortTableView from './CohortTableView.svelte';
  import SplitView from './SplitView.svelte';
  import { table } from './table.svelte';

  let { answer }: { answer: Schemas['CohortsShape'] } = $props();
  const open = (cohort: string, age: number | string, group = '') => question.open(cohort, age, group);
  onDestroy(() => table.rest());
</script>

{#if answer.view === 'bars'}
  <CohortBars {answer} onopen={open} />
{:else if answer.view === 'lines'}
  <CohortLines {answer} onopen={open} />
{:else if answer.split}
  <SplitView
    {answer}
    split={answer.split}
    age={table.age(answer)}
    onage={(at) => table.pointAge(at)}
    onopen={open}
  />
{:else}
  <CohortTableView {answer} />
{/if}
