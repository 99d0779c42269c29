<script lang="ts">
  import { stop, type Job } from './jobs';

  /** A file that is being made: how far it is, and a way to stop. */
  let { making, job }: { making: boolean; job: Job | undefined } = $props();
  const share = $derived(job && job.total > 0 ? Math.round((100 * job.done) / job.total) : 0);
</script>

{#if making}
  <span class="quiet ml-2 whitespace-nowrap" role="status"
    >making it{#if job}, {share} %
      <button class="word" onclick={() => job && stop(job)}>stop</button>{:else}…{/if}</span
  >
{/if}
