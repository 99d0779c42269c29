<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import Guide from './Guide.svelte';
  import SplitGuide from './SplitGuide.svelte';
  import { ALL, table } from './table.svelte';

  let { answer }: { answer: Schemas['CohortsShape'] } = $props();
</script>

{#if answer.split}
  <SplitGuide
    {answer}
    split={answer.split}
    age={table.age(answer)}
    onage={(at) => table.compareAge(at)}
    onchoose={(name, values) => question.choose(name, values)}
    onopen={(group, at) => question.open(ALL, at, group)}
  />
{:else if answer.cohorts.length > 0}
  <Guide {answer} pointed={table.pointed} onopen={(cohort, age) => question.open(cohort, age)} />
{/if}
