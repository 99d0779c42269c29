<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import { finished, percentOf, stop, type Job } from '$lib/jobs';
  import { RECORD_WORDS } from './meanings';

  let { book, delivery }: { book: number; delivery: Schemas['DeliveryShape'] } = $props();
  const client = useQueryClient();
  let asking = $state(false);
  let working = $state(false);
  let problem = $state.raw<Problem>();
  let job = $state.raw<Job>();
  const percent = $derived(percentOf(job));
  const noun = $derived(RECORD_WORDS[delivery.kind]);

  async function withdraw(): Promise<void> {
    working = true;
    try {
      const path = { book, delivery: delivery.id };
      await finished(
        told(api.DELETE('/api/books/{book}/deliveries/{delivery}', { params: { path } })),
        (now) => (job = now),
      );
      await client.invalidateQueries();
    } catch (error) {
      problem = problemOf(error);
    } finally {
      working = false;
      asking = false;
    }
  }
</script>

{#if problem}
  <span class="text-sm text-error" role="alert">{problem.detail} {problem.remedy}</span>
{:else if working}
  <span class="quiet flex gap-1.5 text-sm whitespace-nowrap" role="status"
    >withdrawing{#if percent}, {percent} %{/if}{#if job && job.phase !== 'bringing forward'}<button
        class="word"
        onclick={() => job && stop(job)}>stop</button
      >{/if}</span
  >
{:else if asking}
  <span class="text-sm whitespace-nowrap"
    >take {delivery.by_hand ? 'it' : `its ${noun}s`} back?
    <button class="word text-error" onclick={withdraw}>yes</button>
    <button class="word" onclick={() => (asking = false)}>no</button></span
  >
{:else}
  <button class="word text-sm" onclick={() => (asking = true)}
    >{delivery.by_hand ? 'undo' : 'withdraw'}</button
  >
{/if}
