<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { shareWords } from '../members';
  import { visitList } from '../visiting';

  type Outcomes = Schemas['OutcomesShape'];
  type List = Schemas['ListOutcomeShape'];
  let { answer }: { answer: Outcomes } = $props();

  const figure = (title: string, width: number, value: (list: List) => number): Column<List> => ({
    name: title,
    title,
    width,
    right: true,
    text: (list) => count(value(list)),
  });
  const columns = $derived<Column<List>[]>([
    {
      name: 'list',
      title: 'List',
      names: true,
      least: 110,
      text: (list) => list.name,
      whole: (list) => list.rule,
    },
    {
      name: 'date',
      title: 'As of',
      width: 92,
      text: (list) => date(list.made_as_of),
      value: (list) => list.made_as_of,
    },
    figure('Customers', 84, (list) => list.customers),
    figure('Contacted', 84, (list) => list.contacted),
    figure('To do', 62, (list) => list.to_do),
    figure('Left out', 72, (list) => list.left_out),
    figure('Held back', 80, (list) => list.held_back),
    {
      name: 'share',
      title: 'Contacted who ordered again',
      width: 152,
      right: true,
      strong: true,
      text: (list) => shareWords(list.outcome),
    },
    {
      name: 'revenue',
      title: `Revenue, ${answer.currency}`,
      width: 84,
      right: true,
      text: (list) => money(list.outcome.revenue, true),
    },
  ]);
</script>

<DataTable
  label="Lists that were worked"
  {columns}
  all={answer.lists}
  rowHeight={34}
  headHeight={36}
  onopen={(list) => visitList(list.name)}
  empty="No list was worked yet. Keep customers as a list under “Whom to contact”, then work it."
/>
