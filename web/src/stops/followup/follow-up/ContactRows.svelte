<script lang="ts">
  import { address } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';
  import { cell, isFigure, trimmed } from '$lib/format/cells';
  import { date } from '$lib/format/dates';
  import { count, decimal, money } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';
  import { NAMES } from '../standings';

  type FollowUp = Schemas['FollowUpShape'];
  type Row = FollowUp['rows'][number];
  interface Props {
    rows: Rows<Row>;
    answer: FollowUp;
    book: Schemas['BookShape'];
  }
  let { book, rows, answer }: Props = $props();

  const FIGURE = { width: 74, right: true };
  const CONTACT = 112;
  /** From this width on there is room for how to reach them. */
  const WIDE = 760;
  /** What the list shows anyway. */
  const SHOWN = [
    'latest_date',
    'days_since',
    'usual_gap',
    'overdue',
    'revenue',
    'name',
    'number',
    'email',
    'standing',
  ];

  const days = (value: number | null) => (value === null ? '—' : trimmed(value));
  const contact = ({ contact }: Row) => contact.phone || contact.email || contact.town || '—';
  const beside = (width: number) => [
    {
      name: 'latest',
      sorts: 'latest_date',
      title: 'Latest order',
      width: 100,
      text: (row: Row) => (row.latest_date ? date(row.latest_date) : NAMES[row.stands]),
    },
    {
      name: 'days',
      sorts: 'days_since',
      title: 'Days since',
      ...FIGURE,
      strong: true,
      text: (row: Row) => (row.days_since === null ? '—' : count(row.days_since)),
    },
    {
      name: 'gap',
      sorts: 'usual_gap',
      title: 'Usual gap',
      about: 'In days: the customer’s own, or everybody’s at that step where it stands in brackets',
      ...FIGURE,
      text: (row: Row) =>
        row.own_gap || row.expected_gap === null ? days(row.expected_gap) : `(${days(row.expected_gap)})`,
      whole: (row: Row) => (row.own_gap ? 'the customer’s own' : 'everybody’s at that step'),
    },
    {
      name: 'late',
      sorts: 'overdue',
      title: 'Overdue, × usual gap',
      about: 'How many usual gaps the silence is long',
      ...FIGURE,
      width: 92,
      text: (row: Row) => (row.times_late === null ? '—' : decimal(row.times_late)),
    },
    {
      name: 'revenue',
      sorts: 'revenue',
      title: `Revenue, ${answer.currency}`,
      ...FIGURE,
      width: 92,
      text: (row: Row) => money(row.revenue, true),
    },
    ...(SHOWN.includes(answer.by)
      ? []
      : [
          {
            name: 'by',
            sorts: answer.by,
            title: answer.by_title,
            width: 100,
            right: isFigure(answer.by_kind),
            text: (row: Row) => cell(row.value, answer.by_kind),
          },
        ]),
    ...(width < WIDE
      ? []
      : [
          {
            name: 'contact',
            title: 'Contact',
            width: CONTACT,
            quiet: true,
            text: contact,
            whole: (row: Row) =>
              [row.contact.phone, row.contact.email, row.contact.town].filter(Boolean).join(' · '),
          },
        ]),
  ];
</script>

<ThreadRows
  label="{count(answer.count)} customers to contact"
  {rows}
  {answer}
  {beside}
  plain
  shortest={110}
  nameWidth={170}
  empty={answer.since ? 'Nobody is new since that list.' : 'Nobody fits these reasons.'}
  onopen={(customer) => address.visitCustomer(book.id, customer)}
/>
