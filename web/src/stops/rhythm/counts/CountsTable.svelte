<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, money, percent } from '$lib/format/figures';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { groupName } from './counts';
  import type { Counts } from './liveWindow.svelte';

  let { answer, onchoose }: { answer: Counts; onchoose: (orders: string) => void } = $props();

  type Group = Schemas['CountGroupShape'];
  const whole = $derived(
    Math.max(
      1,
      answer.groups.reduce((sum, group) => sum + group.customers, 0),
    ),
  );
  const upTo = (group: Group) =>
    answer.groups.slice(0, answer.groups.indexOf(group) + 1).reduce((sum, each) => sum + each.customers, 0);
  const columns = $derived<Column<Group>[]>([
    { name: 'orders', title: 'Orders', names: true, text: (group) => groupName(group.orders) },
    {
      name: 'customers',
      title: 'Customers',
      right: true,
      width: 110,
      strong: true,
      text: (group) => count(group.customers),
      open: (group) => () => onchoose(group.orders),
    },
    {
      name: 'share',
      title: 'Share, %',
      right: true,
      width: 90,
      text: (group) => percent(group.customers / whole, 1),
    },
    {
      name: 'upTo',
      title: 'Up to here, %',
      right: true,
      width: 110,
      text: (group) => percent(upTo(group) / whole, 1),
    },
    {
      name: 'placed',
      title: 'Their orders',
      right: true,
      width: 110,
      text: (group) => count(group.order_count),
    },
    {
      name: 'revenue',
      title: `Revenue, ${answer.currency}`,
      right: true,
      width: 130,
      text: (group) => money(group.revenue),
    },
    {
      name: 'went',
      title: 'Placed one more, %',
      about: 'Of those who ever placed so many orders, the share who placed one more, whenever',
      right: true,
      width: 130,
      quiet: true,
      text: (group) =>
        percent(group.reached && group.went_on !== null ? group.went_on / group.reached : null, 1),
    },
  ]);
</script>

<DataTable label="Customers by number of orders" {columns} all={answer.groups} rowHeight={28} />
