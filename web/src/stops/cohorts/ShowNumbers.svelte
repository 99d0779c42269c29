<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { table } from './table.svelte';

  let { answer }: { answer: Schemas['CohortsShape'] } = $props();
</script>

{#if table.abridges && answer.view === 'table' && !answer.split}
  <button class="word" onclick={() => table.showNumbers(!table.showsNumbers)}
    >{table.showsNumbers ? 'fit to page' : 'show numbers'}</button
  >
{/if}
