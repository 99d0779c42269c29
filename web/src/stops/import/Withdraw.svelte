<script lang="ts">
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { finished, percentOf, stopped, type Job } from '$lib/jobs';
  import { RECORD_WORDS } from './meanings';

  let { book, delivery }: { book: number; delivery: Schemas['DeliveryShape'] } = $props();
  let asking = $state(false);
  let job = $state.raw<Job>();
  const percent = $derived(percentOf(job));
  const noun = $derived(RECORD_WORDS[delivery.kind]);
  const withdraw = useChange(() =>
    finished(
      answerOf(
        api.DELETE('/api/books/{book}/deliveries/{delivery}', {
          params: { path: { book, delivery: delivery.id } },
        }),
      ),
      (now) => (job = now),
    ),
  );
</script>

{#if withdraw.problem}
  <span class="text-sm text-error" role="alert">{withdraw.problem.detail} {withdraw.problem.remedy}</span>
  <button class="word text-sm" onclick={() => withdraw.reset()}>leave it</button>
{:else if withdraw.pending}
  <span class="quiet flex gap-1.5 text-sm whitespace-nowrap" role="status"
    >withdrawing{#if percent}, {percent} %{/if}{#if job && job.phase !== 'bringing forward'}<button
        class="word"
        onclick={() => job && void stopped(job)}>stop</button
      >{/if}</span
  >
{:else if asking}
  <span class="text-sm whitespace-nowrap"
    >take {delivery.by_hand ? 'it' : `its ${noun}s`} back?
    <button class="word text-error" onclick={() => withdraw.run(undefined)}>yes</button>
    <button class="word" onclick={() => (asking = false)}>no</button></span
  >
{:else}
  <button class="word text-sm" onclick={() => (asking = true)}
    >{delivery.by_hand ? 'undo' : 'withdraw'}</button
  >
{/if}
