<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, problemOf, told, type Schemas } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import ProblemRows from './ProblemRows.svelte';

  let { book }: { book: number } = $props();
  const PROBLEMS_SHOWN = 500;
  let opened = $state<number | null>(null);

  const log = createQuery(() => ({
    queryKey: ['deliveries', book],
    queryFn: () => told(api.GET('/api/books/{book}/deliveries', { params: { path: { book } } })),
  }));
  const problems = createQuery(() => ({
    queryKey: ['problems', book, opened],
    enabled: opened !== null,
    queryFn: () =>
      told(
        api.GET('/api/books/{book}/deliveries/{delivery}/problems', {
          params: { path: { book, delivery: opened ?? 0 }, query: { limit: PROBLEMS_SHOWN } },
        }),
      ),
  }));

  function summary({ kind, counts }: Schemas['DeliveryShape']): string {
    const noun = kind === 'customers' ? 'customer' : 'order';
    const parts = [`${counted(counts.added, noun)} new`];
    if (counts.changed) parts.push(`${count(counts.changed)} changed`);
    if (counts.same) parts.push(`${count(counts.same)} the same`);
    return parts.join(', ');
  }
</script>

<h2 class="text-xl">Delivered</h2>
{#if log.error}<ProblemNote problem={problemOf(log.error)} />{/if}
{#if log.data?.deliveries.length === 0}
  <p class="quiet mt-2">Nothing yet. Every file that comes in is listed here with what it changed.</p>
{/if}
<ol class="mt-1">
  {#each log.data?.deliveries ?? [] as delivery (delivery.id)}
    <li class="border-b border-base-300 py-2 last:border-0">
      <p class="truncate font-semibold" title={delivery.file_name}>{delivery.file_name}</p>
      <p class="quiet text-sm">{delivery.source} · {moment(delivery.delivered_at)}</p>
      <p class="text-sm">{summary(delivery)}</p>
      {#if delivery.counts.rows_rejected > 0}
        <button
          class="word text-sm text-error"
          onclick={() => (opened = opened === delivery.id ? null : delivery.id)}
        >
          {counted(delivery.counts.rows_rejected, 'row')} rejected
        </button>
        {#if opened === delivery.id && problems.data}
          <div class="mt-2">
            <ProblemRows problems={problems.data.problems} total={problems.data.total} />
          </div>
        {/if}
      {/if}
    </li>
  {/each}
</ol>
