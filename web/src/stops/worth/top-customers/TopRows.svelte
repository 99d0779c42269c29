<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, money, percent } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';

  type Top = Schemas['TopCustomersShape'];
  type Row = Top['rows'][number];
  interface Props {
    rows: Rows<Row>;
    answer: Top;
    onopen: (customer: number) => void;
  }
  let { answer, rows, onopen }: Props = $props();
  const BESIDE = $derived([
    {
      name: 'place',
      sorts: 'place',
      title: 'No.',
      width: 56,
      right: true,
      quiet: true,
      text: (row: Row) => count(row.place),
    },
    {
      name: 'orders',
      sorts: 'orders',
      title: 'Orders',
      width: 70,
      right: true,
      text: (row: Row) => count(row.orders),
    },
    {
      name: 'revenue',
      sorts: 'revenue',
      title: `Revenue, ${answer.currency}`,
      width: 118,
      right: true,
      strong: true,
      text: (row: Row) => money(row.revenue),
    },
    {
      name: 'cumulative',
      sorts: 'cumulative_share',
      title: 'With all larger',
      about: 'The share of revenue that this customer and all with a smaller number brought',
      width: 104,
      right: true,
      text: (row: Row) => `${percent(row.cumulative_share, 1)} %`,
    },
  ]);
</script>

<ThreadRows
  label="Customers by revenue, the largest first"
  {rows}
  {answer}
  beside={() => BESIDE}
  plain
  empty="Nobody has ordered yet."
  {onopen}
/>
