<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, answerOf } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import Notes from '$src/written/Notes.svelte';
  import ProblemRows from './ProblemRows.svelte';
  import Problems from './Problems.svelte';
  import Withdraw from './Withdraw.svelte';
  import { KIND_WORDS, MEANING_WORDS, type KeptAt, type Meaning } from './meanings';
  import { summary } from './summary';

  let { book, delivery }: { book: number; delivery: number } = $props();
  const ROWS_SHOWN = 500;
  const REST_WORDS: Record<KeptAt, string> = {
    customer: 'Of the customer',
    order: 'Of the order',
    line: 'Of the line',
    nowhere: 'Not kept',
  };
  const path = $derived({ book, delivery });

  const query = createQuery(() => ({
    queryKey: ['delivery', book, delivery],
    queryFn: () => answerOf(api.GET('/api/books/{book}/deliveries/{delivery}', { params: { path } })),
  }));
  const rows = createQuery(() => ({
    queryKey: ['problems', book, delivery],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/deliveries/{delivery}/problems', {
          params: { path, query: { limit: ROWS_SHOWN } },
        }),
      ),
  }));
  const opened = $derived(query.data);
  const read = $derived(Object.entries(opened?.columns ?? {}) as [Meaning, string][]);
  const unread = $derived(
    (opened?.header ?? []).filter((name) => !read.some(([, column]) => column === name)),
  );
  /** Columns without a meaning, by where they were kept. */
  const rest = $derived.by(() => {
    const groups = new Map<string, string[]>();
    for (const name of unread) {
      const at = opened?.kept[name];
      const words =
        opened?.delivery.kind === 'customers' ? 'Kept as attributes' : at ? REST_WORDS[at] : 'Not read';
      groups.set(words, [...(groups.get(words) ?? []), name]);
    }
    return [...groups];
  });
</script>

{#if query.error}<ProblemNote problem={problemOf(query.error)} />{/if}
{#if opened}
  {@const log = opened.delivery}
  <section class="card card-border block bg-base-100 p-4" data-testid="delivery">
    <p class="flex items-baseline gap-4">
      <b class="text-lg">{log.file_name}</b>
      <span class="ml-auto flex gap-5">
        {#if !log.withdrawn_at}<Withdraw {book} delivery={log} />{/if}
        <button class="word text-sm" onclick={() => address.change({ delivery: null })}>close</button>
      </span>
    </p>
    <p class="quiet">
      {log.source}, {moment(log.delivered_at)}{log.by_hand
        ? ''
        : `, ${KIND_WORDS[log.kind]}`}{log.withdrawn_at
        ? `; withdrawn ${moment(log.withdrawn_at)}`
        : ''}{log.made_by ? `, imported by ${log.made_by}` : ''}
    </p>
    <p class="mt-2">
      {counted(log.counts.rows_read, 'row')} read, {count(log.counts.rows_in)} imported, {count(
        log.counts.rows_repeated,
      )} repeated another, {count(log.counts.rows_rejected)} rejected: {summary(log)}; {counted(
        log.counts.customers_added,
        'customer',
      )} not known before.
    </p>
    <div class="mt-2 text-sm"><Notes {book} thing={{ about: 'delivery', key: String(delivery) }} /></div>
    {#if read.length > 0}
      <p class="mt-2">
        {#each read as [meaning, column], place (place)}{place ? ', ' : 'Read: '}{MEANING_WORDS[meaning]} from
          <b class="font-semibold">{column}</b>{/each}.{#if unread.length > 0}
          {#each rest as [words, columns] (words)}
            <span class="quiet">{words}: {columns.join(', ')}. </span>{/each}{/if}
      </p>
    {/if}
  </section>
  {#if opened.problems.length > 0}
    <section class="card card-border block bg-base-100 p-4">
      <Problems groups={opened.problems} rejectedAt="/api/books/{book}/deliveries/{delivery}/rejected" />
    </section>
    {#if rows.data}
      <section class="card card-border block bg-base-100 p-4">
        <ProblemRows problems={rows.data.problems} total={rows.data.total} />
      </section>
    {/if}
  {:else}
    <p class="quiet">Nothing was wrong with any of its rows.</p>
  {/if}
{/if}
