<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { cell as written, isFigure } from '$lib/format/cells';
  import { date } from '$lib/format/dates';
  import type { Pages } from '$lib/pages.svelte';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { dayTicks, timeScale } from '$src/thread/smallThread';
  import type { ListView } from './question.svelte';

  type List = Schemas['ListShape'];
  type Row = List['rows'][number];
  interface Props {
    pages: Pages<List, Row>;
    head: List;
    view: ListView;
    /** Beside an open customer there is room for the name, the thread and one field. */
    narrow: boolean;
    opened: number | null;
    onopen: (customer: number) => void;
  }
  let { pages, head: list, view, narrow, opened, onopen }: Props = $props();

  const NAME = 190;
  const CELL = 112;
  const NARROW_CELL = 92;
  const ORDER = 110;
  const SHORTEST = 130;
  const PADDING = 10;
  let width = $state(0);
  /** The name stands in the first column anyway. */
  const places = $derived(list.by.name === 'name' ? [] : [0]);
  const fields = $derived([
    ...places.map((place) => ({ field: list.by, place })),
    ...(narrow
      ? []
      : list.columns.flatMap((field, at) => (field.name === list.by.name ? [] : [{ field, place: at + 1 }]))),
  ]);
  const withOrder = $derived(view !== 'customers' && !narrow);
  const beside = $derived(NAME + (withOrder ? ORDER : 0));
  const cellWidth = $derived(
    narrow
      ? NARROW_CELL
      : Math.min(CELL, Math.max(76, (width - beside - SHORTEST) / Math.max(1, fields.length))),
  );
  const threadWidth = $derived(Math.max(SHORTEST, width - beside - fields.length * cellWidth) - PADDING);
  const scale = $derived(timeScale(list.first_date, list.last_date, threadWidth));
  const columns = $derived<Column<Row>[]>([
    {
      name: 'customer',
      title: 'Customer',
      width: NAME,
      strong: true,
      text: (row) => row.thread.name,
      whole: (row) => `${row.thread.name} · ${row.thread.key}`,
    },
    {
      name: 'thread',
      title: `Thread, ${date(list.first_date)} to ${date(list.last_date)}`,
      width: threadWidth + PADDING,
    },
    ...(withOrder
      ? [
          {
            name: 'order',
            title: view === 'backdated' ? 'Backdated' : 'Order',
            width: ORDER,
            text: (row: Row) => row.orders.map((order) => order.number).join(', '),
            whole: (row: Row) =>
              row.orders.map((order) => `${order.source} ${order.number}, ${date(order.date)}`).join('; '),
          },
        ]
      : []),
    ...fields.map(({ field, place }) => ({
      name: `field ${field.name}`,
      title: field.title,
      width: cellWidth,
      right: isFigure(field.kind),
      text: (row: Row) => written(row.cells[place] ?? null, field.kind),
    })),
  ]);
</script>

<DataTable
  label={list.words}
  {columns}
  count={list.count}
  row={(at) => pages.row(at)}
  want={(from, to) => pages.want(from, to)}
  question={list.sentence.map((part) => part.text).join('')}
  onopen={(row) => onopen(row.thread.customer)}
  isOpened={(row) => row.thread.customer === opened}
  empty="Nobody meets what the reading line and the question ask for. Change a word of either."
  bind:width
>
  {#snippet head(column)}
    {#if column.name === 'thread'}
      <span class="sr-only">{column.title}</span>
      <span class="relative block h-4" aria-hidden="true">
        {#each dayTicks(scale, threadWidth) as tick (tick.day)}
          <span class="absolute bottom-0 -translate-x-1/2 whitespace-nowrap" style:left="{tick.x}px"
            >{tick.label}</span
          >
        {/each}
      </span>
    {:else}{column.title}{/if}
  {/snippet}
  {#snippet cell(row)}
    <SmallThread thread={row.thread} {scale} width={threadWidth} plain={view === 'customers'} />
  {/snippet}
</DataTable>
