<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { valueWords } from './measures';
  import { question } from '$lib/question.svelte';

  type Worth = Schemas['WorthShape'];
  type Group = Worth['groups'][number];
  type Name = Schemas['WorthMeasure'];
  let { answer }: { answer: Worth } = $props();

  const figure = (name: Name, title: string, width = 96): Column<Group> => ({
    name,
    title,
    width,
    right: true,
    text: (group) => valueWords(group.measures, name),
    open: (group) => () => question.open(name, group.label),
  });
  const columns = $derived<Column<Group>[]>([
    {
      name: 'group',
      title: answer.split_title || 'Group',
      least: 120,
      names: true,
      text: (group) => group.label,
    },
    figure('customers', 'Customers', 84),
    figure('average_order_value', 'Average order', 96),
    figure('orders_per_customer', 'Orders each', 84),
    figure('average_retention_rate', 'Retention rate', 96),
    figure('projected_clv', 'Projected CLV', 96),
    figure('observed_gross_profit', 'Observed', 90),
    figure('observed_age', 'by age', 60),
    figure('cac', 'CAC', 74),
    figure('break_even_age', 'Paid back', 76),
  ]);
  const ROW = 30;
  const HEAD = 32;
</script>

<div
  class="mt-1 flex shrink-0 flex-col"
  style:height="{HEAD + ROW * Math.min(answer.groups.length, 6) + 4}px"
>
  <DataTable
    label="The arithmetic, by group"
    {columns}
    all={answer.groups}
    rowHeight={ROW}
    headHeight={HEAD}
  />
</div>
