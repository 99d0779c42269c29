<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, money, percent } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import { addressed } from '$src/table/addressed';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { question } from '$lib/question.svelte';

  type Bought = Schemas['BoughtShape'];
  type Row = Bought['rows'][number];
  let { rows, answer }: { rows: Rows<Row>; answer: Bought } = $props();

  const figure = (name: string, title: string, value: (row: Row) => number): Column<Row> => ({
    name,
    sorts: name,
    title,
    width: 92,
    right: true,
    text: (row) => count(value(row)),
  });
  const columns = $derived<Column<Row>[]>([
    {
      name: 'label',
      sorts: 'label',
      title: answer.by === 'category' ? 'Category' : 'Product',
      width: 200,
      names: true,
      text: (row) => row.label,
      open: (row) => () => question.open(row.label),
    },
    { name: 'band', title: 'Share of the revenue of all lines', least: 160 },
    { name: 'share', title: '', width: 72, right: true, text: (row) => `${percent(row.share, 1)} %` },
    {
      name: 'revenue',
      sorts: 'revenue',
      title: `Revenue, ${answer.currency}`,
      width: 120,
      right: true,
      strong: true,
      text: (row) => money(row.revenue),
    },
    figure('customers', 'Customers', (row) => row.customers),
    figure('orders', 'Orders', (row) => row.orders),
    figure('lines', 'Lines', (row) => row.lines),
  ]);
  const largest = $derived(Math.max(0.0001, answer.largest_share ?? 0));
</script>

<DataTable
  label="Revenue by {answer.by}"
  {columns}
  count={answer.count}
  row={rows.row}
  want={rows.want}
  take={rows.take}
  sequence={addressed}
  question={answer.sentence.map((part) => part.text).join('')}
  empty="No order has lines: import a file that gives them line by line."
>
  {#snippet head(column)}{column.title}{/snippet}
  {#snippet cell(row)}
    <span
      class="block h-4"
      style:width="{(100 * Math.max(0, row.share ?? 0)) / largest}%"
      style:background="var(--ramp-6)"
    ></span>
  {/snippet}
</DataTable>
