<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { narrow, openCustomer } from '../opening';

  type Group = Schemas['FiguresShape']['groups'][number];
  interface Row {
    part: string;
    group: Group;
    isTotal: boolean;
  }
  let { answer }: { answer: Schemas['FiguresShape'] } = $props();
  const group = $derived(answer.sentence.find((part) => part.control === 'group')?.text ?? '');

  const compared = $derived(answer.rest.length > 0);
  const rows = $derived<Row[]>([
    ...answer.groups.map((each) => ({ part: compared ? 'On the list' : '', group: each, isTotal: false })),
    ...answer.rest.map((each) => ({ part: 'Everybody else', group: each, isTotal: false })),
    ...(answer.total && !compared ? [{ part: '', group: answer.total, isTotal: true }] : []),
  ]);
  const most = $derived(
    [...answer.groups, ...answer.rest].reduce((top, each) => Math.max(top, each.orders), 1),
  );

  const extreme = (title: string, of: (group: Group) => Group['smallest']): Column<Row> => ({
    name: title,
    title,
    width: 100,
    right: true,
    text: (row) => money(of(row.group).order.amount),
    whole: ({ group: each }) => {
      const { order, name } = of(each);
      return `${order.source} ${order.number}, ${name}, ${date(order.date)}`;
    },
    open: ({ group: each, isTotal }) => (isTotal ? null : () => openCustomer(of(each).customer)),
  });
  const columns = $derived<Column<Row>[]>([
    ...(compared
      ? [{ name: 'part', title: 'Customers', width: 120, text: (row: Row) => row.part, quiet: true }]
      : []),
    {
      name: 'group',
      title: group || 'Orders',
      names: true,
      strong: true,
      text: ({ group: each, isTotal }) =>
        isTotal ? 'all together' : each.open === null ? 'all orders' : each.label || 'blank',
      whole: ({ group: each, isTotal }) =>
        isTotal ? 'Counted afresh: a customer of two groups is one customer' : each.label,
      open: ({ group: each, isTotal }) => {
        const condition = each.open;
        return isTotal || condition === null ? null : () => narrow(condition);
      },
    },
    {
      name: 'customers',
      title: 'Customers',
      width: 90,
      right: true,
      text: (row) => count(row.group.customers),
    },
    { name: 'orders', title: 'Orders', width: 80, right: true, text: (row) => count(row.group.orders) },
    { name: 'bar', title: '', width: 100 },
    { name: 'sum', title: 'Sum', width: 110, right: true, text: (row) => money(row.group.revenue) },
    { name: 'average', title: 'Average', width: 90, right: true, text: (row) => money(row.group.average) },
    extreme('Smallest', (each) => each.smallest),
    extreme('Largest', (each) => each.largest),
    {
      name: 'earliest',
      title: 'Earliest',
      width: 105,
      text: (row) => date(row.group.first_date),
      value: (row) => row.group.first_date,
    },
    {
      name: 'latest',
      title: 'Latest',
      width: 105,
      text: (row) => date(row.group.latest_date),
      value: (row) => row.group.latest_date,
    },
  ]);
</script>

<DataTable
  label="Figures of orders{group ? ` by ${group}` : ''}"
  {columns}
  all={answer.groups.length + answer.rest.length === 0 ? [] : rows}
  isLast={(row) => row.isTotal}
  looks={(row) => (row.isTotal ? 'font-semibold' : '')}
  empty="No order meets what the reading line asks for. Change a word of it."
>
  {#snippet cell(row)}
    {#if !row.isTotal}<span class="bar" style:width="{(100 * row.group.orders) / most}%"></span>{/if}
  {/snippet}
</DataTable>

<style>
  .bar {
    display: block;
    height: 9px;
    background: var(--ramp-6);
  }
</style>
