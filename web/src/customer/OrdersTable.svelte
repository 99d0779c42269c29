<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, problemOf, answerOf, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import DataTable from '$src/table/DataTable.svelte';
  import type { Column } from '$src/table/column';

  type Row = Schemas['ThreadOrderShape'];
  interface Props {
    book: number;
    page: Schemas['CustomerShape'];
    rows: Rows<Row>;
  }
  let { book, page, rows }: Props = $props();
  let opened = $state<number | null>(null);

  const lines = createQuery(() => ({
    queryKey: ['lines', book, opened],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/orders/{order}/lines', { params: { path: { book, order: opened ?? 0 } } }),
      ),
    enabled: opened !== null,
  }));

  const hasOwn = $derived(page.orders.some((order) => order.own.length > 0));
  const optional = $derived<Column<Row>[]>(
    [
      { name: 'channel', title: 'Channel', least: 80, text: (row: Row) => row.order.channel || '—' },
      { name: 'rep', title: 'Sales rep', least: 80, text: (row: Row) => row.order.rep || '—' },
      { name: 'category', title: 'Category', least: 80, text: (row: Row) => row.category || '—' },
    ].filter(({ name }) => page.filled.includes(name) && !(hasOwn && name === 'category')),
  );
  const own = $derived<Column<Row>[]>(
    hasOwn
      ? [
          {
            name: 'own',
            title: 'Attributes',
            about: 'The category, and further columns of the file; the number of the order opens all of them',
            least: 90,
            text: (row: Row) => [row.category, ...row.own.map(shown)].filter(Boolean).join(' · ') || '—',
          },
        ]
      : [],
  );

  function shown({ kind, title, value }: Row['own'][number]): string {
    if (kind === 'date') return date(value);
    return kind === 'number' || value === 'yes' || value === 'no' ? `${title} ${value}` : value;
  }

  const columns = $derived<Column<Row>[]>([
    { name: 'rank', title: 'Rank', width: 52, right: true, quiet: true, text: (row) => count(row.rank) },
    { name: 'date', title: 'Date', width: 100, text: (row) => date(row.order.date) },
    { name: 'number', title: 'Number', width: 104 },
    { name: 'source', title: 'Source', least: 80, text: (row) => row.order.source },
    ...optional,
    ...own,
    {
      name: 'gap',
      title: 'Gap, days',
      about: 'Days since the order before',
      width: 80,
      right: true,
      text: (row) => (row.gap === null ? '—' : count(row.gap)),
    },
    { name: 'amount', title: 'Amount', width: 88, right: true, text: (row) => money(row.order.amount) },
  ]);
</script>

<DataTable
  label="Orders, latest first"
  {columns}
  count={page.order_count}
  row={rows.row}
  want={rows.want}
  take={rows.take}
  question={String(page.customer)}
  rowHeight={28}
  looks={(row) => (row.shown ? '' : 'dimmed')}
  hasDetail={(row) => row.id === opened}
>
  {#snippet cell(row)}
    <button
      type="button"
      class="word"
      aria-expanded={opened === row.id}
      onclick={() => (opened = opened === row.id ? null : row.id)}>{row.order.number}</button
    >{#if row.order.status !== 'paid'}<span class="quiet"> {row.order.status}</span>{/if}
  {/snippet}
  {#snippet detail(row)}
    {#if row.own.length > 0}
      <dl class="mb-1 flex flex-wrap gap-x-5" aria-label="Attributes of {row.order.number}">
        {#each row.own as each, at (at)}
          <div class="flex gap-1.5">
            <dt class="quiet">{each.title}</dt>
            <dd>{each.kind === 'date' ? date(each.value) : each.value}</dd>
          </div>
        {/each}
      </dl>
    {/if}
    {#if lines.error}
      <ProblemNote problem={problemOf(lines.error)} />
    {:else if !lines.data}
      <span class="quiet" role="status">Looking up its lines…</span>
    {:else if lines.data.lines.length === 0}
      <span class="quiet">The source gives this order as a whole, without lines.</span>
    {:else}
      <ul aria-label="Lines of {row.order.number}">
        {#each lines.data.lines as line, at (at)}
          <li class="flex justify-between gap-4">
            <span
              >{line.quantity ? `${line.quantity} × ` : ''}{line.product || `line ${line.number}`}
              <span class="quiet">{line.category}</span></span
            ><span>{money(line.amount)}</span>
          </li>
        {/each}
      </ul>
    {/if}
  {/snippet}
</DataTable>
