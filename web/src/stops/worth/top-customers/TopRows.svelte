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
      title: 'No.',
      width: 56,
      right: true,
      quiet: true,
      text: (row: Row) => count(row.place),
    },
    { name: 'orders', title: 'Orders', width: 70, right: true, text: (row: Row) => count(row.orders) },
    {
      name: 'revenue',
      title: `Revenue, ${answer.currency}`,
      width: 118,
      right: true,
      strong: true,
      text: (row: Row) => money(row.revenue),
    },
    {
      name: 'cumulative',
      title: 'With all above',
      about: 'The share of revenue that this customer and all above brought',
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
