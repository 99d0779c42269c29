<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, money, percent } from '$lib/format/figures';
  import type { Pages } from '$lib/pages.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';

  type Top = Schemas['TopCustomersShape'];
  type Row = Top['rows'][number];
  interface Props {
    pages: Pages<Top, Row>;
    head: Top;
    onopen: (customer: number) => void;
  }
  let { pages, head, onopen }: Props = $props();
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
      title: `Revenue, ${head.currency}`,
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
  {pages}
  answer={head}
  beside={() => BESIDE}
  plain
  empty="Nobody has ordered yet."
  {onopen}
/>
