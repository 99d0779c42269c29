<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, answerOf } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import { useNoted } from '$src/written/noted.svelte';
  import NoteMark from '$src/written/NoteMark.svelte';
  import Withdraw from './Withdraw.svelte';
  import { summary } from './summary';

  let { book, opened, inFiles }: { book: number; opened: number | null; inFiles: boolean } = $props();

  const AT_ONCE = 50;
  const noted = useNoted();
  let shown = $state(AT_ONCE);
  const log = createQuery(() => ({
    queryKey: ['deliveries', book, shown],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/deliveries', {
          params: { path: { book }, query: { limit: shown } },
        }),
      ),
    placeholderData: keepPreviousData,
  }));
</script>

<h2 class="text-xl">Delivered</h2>
{#if log.error}<ProblemNote problem={problemOf(log.error)} />{/if}
{#if log.data?.deliveries.length === 0}
  <p class="quiet mt-2">Nothing yet. Every imported file is listed here with what it changed.</p>
{/if}
<ol class="mt-1">
  {#each log.data?.deliveries ?? [] as delivery (delivery.id)}
    <li
      class="border-b border-base-300 py-2 last:border-0"
      class:quiet={delivery.withdrawn_at}
      aria-current={opened === delivery.id ? 'true' : undefined}
    >
      <p class="flex items-baseline gap-3">
        <button
          class="truncate text-left font-semibold hover:underline"
          class:line-through={delivery.withdrawn_at}
          class:here={opened === delivery.id}
          title={delivery.file_name}
          onclick={() => address.change({ delivery: opened === delivery.id ? null : String(delivery.id) })}
          >{delivery.file_name}</button
        >
        {#if noted.has('delivery', delivery.id)}<NoteMark />{/if}
        {#if !delivery.withdrawn_at && !(inFiles && delivery.kind === 'orders')}
          <span class="ml-auto shrink-0"><Withdraw {book} {delivery} /></span>
        {/if}
      </p>
      <p class="quiet text-sm">
        {delivery.source} · {moment(delivery.delivered_at)}{delivery.made_by
          ? `, by ${delivery.made_by}`
          : ''}
      </p>
      {#if delivery.withdrawn_at}
        <p class="text-sm">withdrawn {moment(delivery.withdrawn_at)}</p>
      {:else}
        <p class="text-sm">
          {summary(delivery)}{#if delivery.counts.rows_rejected > 0}<span class="text-error"
              >, {counted(delivery.counts.rows_rejected, 'row')} rejected</span
            >{/if}
        </p>
      {/if}
    </li>
  {/each}
</ol>
{#if log.data && log.data.total > log.data.deliveries.length && shown < 500}
  <button class="word self-start text-sm" onclick={() => (shown = Math.min(500, shown + AT_ONCE))}
    >earlier ones: {count(log.data.total - log.data.deliveries.length)} more</button
  >
{/if}

<style>
  .here {
    border-bottom: 2px solid var(--gold);
  }
</style>
