<script lang="ts">
  import { percentOf, stop, type Job } from './jobs';

  /** A file that is being made: how far it is, and a way to stop. */
  let { making, job }: { making: boolean; job: Job | undefined } = $props();
  const percent = $derived(percentOf(job));
</script>

{#if making}
  <span class="quiet ml-2 whitespace-nowrap" role="status"
    >making it{#if job}, {percent} %
      <button class="word" onclick={() => job && stop(job)}>stop</button>{:else}…{/if}</span
  >
{/if}
