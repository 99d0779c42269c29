<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, decimal } from '$lib/format/figures';
  import { address } from '$lib/address.svelte';
  import type { Rows } from '$lib/answer.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';
  import { days } from '../gaps';

  type Gaps = Schemas['GapsShape'];
  type Row = Gaps['rows'][number];
  interface Props {
    rows: Rows<Row>;
    answer: Gaps;
    book: Schemas['BookShape'];
  }
  let { book, rows, answer }: Props = $props();

  const FIGURE = { width: 84, right: true };
  const byOrder = $derived(answer.by === 'order');
  const OF_ORDERS = [
    {
      name: 'gap',
      sorts: 'gap',
      title: 'Gap, days',
      ...FIGURE,
      strong: true,
      text: (row: Row) => count(row.median),
    },
    {
      name: 'date',
      sorts: 'date',
      title: 'Ended on',
      width: 110,
      right: true,
      text: (row: Row) => (row.date ? date(row.date) : ''),
    },
  ];
  const OF_CUSTOMERS = [
    {
      name: 'median',
      sorts: 'median',
      title: 'Median, days',
      ...FIGURE,
      strong: true,
      text: (row: Row) => days(row.median),
    },
    { name: 'mean', sorts: 'mean', title: 'Mean, days', ...FIGURE, text: (row: Row) => decimal(row.mean) },
    { name: 'gaps', sorts: 'count', title: 'Gaps', ...FIGURE, text: (row: Row) => count(row.count) },
    {
      name: 'sequence',
      title: 'In sequence, the latest last',
      width: 210,
      quiet: true,
      text: (row: Row) => (row.count > row.gaps.length ? '… ' : '') + row.gaps.join(' · '),
      whole: (row: Row) => row.gaps.join(' · '),
    },
  ];
</script>

<ThreadRows
  label={byOrder ? 'Gaps, the longest first' : 'Customers by their median gap, the longest first'}
  {rows}
  {answer}
  beside={() => (byOrder ? OF_ORDERS : OF_CUSTOMERS)}
  plain={!byOrder}
  shortest={140}
  empty="Nobody has ordered twice yet, so there is no gap."
  onopen={(customer) => address.visitCustomer(book.id, customer)}
/>
