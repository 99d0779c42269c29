<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, decimal, money } from '$lib/format/figures';
  import { address } from '$lib/address.svelte';
  import type { Rows } from '$lib/answer.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';
  import { days } from '../gaps';

  type Due = Schemas['DueShape'];
  type Row = Due['rows'][number];
  interface Props {
    rows: Rows<Row>;
    answer: Due;
    book: Schemas['BookShape'];
  }
  let { book, rows, answer }: Props = $props();

  const FIGURE = { width: 88, right: true };
  const LEAST = 0.05;
  /** How late, in usual gaps. */
  const inGaps = ({ days_late: late, overdue }: Row) =>
    late === 0 || overdue === null ? '' : overdue - 1 < LEAST ? 'under 0.1' : decimal(overdue - 1);
  const columns = $derived([
    {
      name: 'due',
      sorts: 'next_due',
      title: 'Expected',
      ...FIGURE,
      width: 104,
      text: (row: Row) => date(row.next_due),
    },
    {
      name: 'late',
      sorts: 'days_late',
      title: 'Days late',
      ...FIGURE,
      strong: true,
      text: (row: Row) => (row.days_late > 0 ? count(row.days_late) : ''),
    },
    {
      name: 'gaps late',
      sorts: 'overdue',
      title: 'In usual gaps',
      about: 'How many usual gaps beyond the expected one',
      ...FIGURE,
      text: inGaps,
    },
    {
      name: 'gap',
      sorts: 'expected_gap',
      title: 'Usual gap, days',
      about: 'The customer’s own, or everybody’s at that step where it stands in brackets',
      ...FIGURE,
      text: (row: Row) => (row.own_gap ? days(row.expected_gap) : `(${days(row.expected_gap)})`),
      whole: (row: Row) => (row.own_gap ? 'the customer’s own' : 'everybody’s at that step'),
    },
    {
      name: 'revenue',
      sorts: 'revenue',
      title: `Revenue, ${answer.currency}`,
      ...FIGURE,
      text: (row: Row) => money(row.revenue, true),
    },
  ]);
</script>

<ThreadRows
  label="{count(answer.count)} customers, those just late first, then by the day on which they are expected"
  {rows}
  {answer}
  beside={() => columns}
  plain
  empty="Nobody is expected in that time, and nobody is late."
  onopen={(customer) => address.visitCustomer(book.id, customer)}
/>
