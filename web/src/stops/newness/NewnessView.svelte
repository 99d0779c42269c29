<script lang="ts">
  import type { Newness } from './parts';
  import NewnessChart from './NewnessChart.svelte';
  import NewnessSplit from './NewnessSplit.svelte';
  import NewnessTable from './NewnessTable.svelte';

  let { answer }: { answer: Newness } = $props();
</script>

{#if answer.groups.length > 0}
  <NewnessSplit {answer} isTable={answer.view === 'table'} />
{:else if answer.view === 'table'}
  <NewnessTable {answer} />
{:else}
  <NewnessChart {answer} />
{/if}
