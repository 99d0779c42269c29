<script lang="ts">
  import { percentOf, stopped } from '$lib/jobs';
  import type { Download } from './download.svelte';

  /** How far a file is, with a way to stop; why it was refused; that it was taken. */
  let { download }: { download: Download } = $props();
  const job = $derived(download.job);
</script>

<span aria-live="polite">
  {#if download.making}
    <span class="quiet ml-2 whitespace-nowrap" role="status"
      >making it{#if job}, {percentOf(job)} %
        <button class="word" onclick={() => stopped(job)}>stop</button>{:else}…{/if}</span
    >
  {:else if download.problem}
    <span class="ml-2 text-error" role="alert">{download.problem.detail} {download.problem.remedy}</span>
  {:else if download.done}
    <span class="sr-only">Downloaded.</span>
  {/if}
</span>
