<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { monthOf } from '$lib/format/dates';
  import { count, counted, money } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import { addressed } from '$src/table/addressed';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { PROBLEMS } from './problems';
  import { question } from '$lib/question.svelte';

  type Spend = Schemas['SpendShape'];
  type Row = Spend['rows'][number];
  let { rows, answer }: { rows: Rows<Row>; answer: Spend } = $props();
  const columns = $derived<Column<Row>[]>([
    {
      name: 'month',
      sorts: 'month',
      title: 'Month',
      width: 110,
      names: true,
      text: (row) => (row.channel && !addressed.by ? '' : monthOf(row.first_date)),
      whole: (row) => monthOf(row.first_date),
    },
    {
      name: 'channel',
      sorts: 'channel',
      title: 'Channel',
      width: 160,
      text: (row) => row.channel || 'all channels',
    },
    {
      name: 'spend',
      sorts: 'spend',
      title: `Spend, ${answer.currency}`,
      width: 120,
      right: true,
      text: (row) => (row.spend === null ? '—' : money(row.spend)),
    },
    {
      name: 'new',
      sorts: 'new_customers',
      title: 'New customers',
      width: 120,
      right: true,
      strong: true,
      text: (row) => count(row.new_customers),
      open: (row) =>
        row.new_customers > 0 ? () => question.open(row.month, ...(row.channel ? [row.channel] : [])) : null,
    },
    {
      name: 'cac',
      sorts: 'cac',
      title: 'CAC',
      about: 'Spend per new customer',
      width: 100,
      right: true,
      text: (row) => (row.cac === null ? '—' : money(row.cac)),
    },
    {
      name: 'problem',
      sorts: 'problem',
      title: 'Check this',
      least: 180,
      text: (row) => (row.problem ? PROBLEMS[row.problem] : ''),
    },
  ]);
</script>

<p class="quiet pb-1 text-sm">
  {answer.problems === 0
    ? 'Nothing is to be checked: every month with spend brought somebody, and every channel is one that orders name.'
    : `${counted(answer.problems, 'row')} to be checked.`}
</p>
<DataTable
  label="Spend and new customers by month and channel"
  {columns}
  count={answer.count}
  row={rows.row}
  want={rows.want}
  take={rows.take}
  sequence={addressed}
  rowHeight={30}
  question={answer.sentence.map((part) => part.text).join('')}
  looks={(row) => (row.channel ? '' : 'font-semibold')}
  empty="There is nothing to check."
/>
