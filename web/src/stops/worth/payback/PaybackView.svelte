<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { count } from '$lib/format/figures';
  import { periodName } from '$lib/format/dates';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { amount, paidWords, type Drawn, type ProfitCurve } from '../curves';
  import ProfitChart from '../ProfitChart.svelte';
  import { question } from '$lib/question.svelte';

  type Payback = Schemas['PaybackShape'];
  type Affordable = Payback['affordable'][number];
  let { answer }: { answer: Payback } = $props();

  const drawn = (curve: ProfitCurve, name: string, open: Drawn['open']): Drawn => ({
    name,
    start: curve.start,
    profit: curve.values,
    low: curve.low,
    high: curve.high,
    complete: curve.complete,
    ...(open ? { open } : {}),
  });
  const curves = $derived<Drawn[]>([
    ...answer.cohorts.map((curve) => ({
      ...drawn(curve, periodName(curve.label), (age) => question.open(age, curve.label)),
      faint: true,
    })),
    { ...drawn(answer.whole, 'all together', (age) => question.open(age)), main: true },
    // a group whose cost is not known has no profit to draw; the table says what one may cost
    ...answer.groups
      .filter((curve) => curve.values.some((value) => value !== null))
      .map((curve) => drawn(curve, curve.label, (age) => question.open(age, 'all', curve.label))),
  ]);
  const crossing = $derived(
    answer.figure === 'revenue' || answer.whole.start === null || answer.whole.paid_back === null
      ? null
      : {
          age: answer.whole.paid_back,
          words: `paid back by ${spoken(answer.period)} ${answer.whole.paid_back}`,
        },
  );
  const columns = $derived<Column<Affordable>[]>([
    {
      name: 'group',
      title: answer.split_title || 'Whom',
      least: 130,
      names: true,
      text: (row) => row.label || 'all together',
    },
    { name: 'customers', title: 'Customers', width: 90, right: true, text: (row) => count(row.customers) },
    {
      name: 'cac',
      title: 'Spent on each',
      about: 'Customer acquisition cost (CAC)',
      width: 104,
      right: true,
      text: (row) => amount(row.cac),
    },
    ...answer.within.map((age, place) => ({
      name: `within ${age}`,
      title: `${place === 0 ? 'Back within ' : ''}${age} ${spoken(answer.period)}s`,
      about: `Affordable CAC: the most that winning one may cost to be paid back within ${age} ${spoken(answer.period)}s`,
      width: place === 0 ? 150 : 94,
      right: true,
      text: (row: Affordable) => amount(row.affordable[place]),
      open: (row: Affordable) =>
        (row.affordable[place] ?? null) === null
          ? null
          : () => question.open(age, 'all', ...(row.label ? [row.label] : [])),
    })),
    {
      name: 'paid',
      title: 'Paid back',
      width: 112,
      right: true,
      strong: true,
      value: (row) => row.paid_back,
      text: (row) =>
        answer.margin_set ? paidWords(row.paid_back, spoken(answer.period), row.cac !== null) : '—',
    },
  ]);
  const ROW = 30;
  const HEAD = 32;
</script>

<ProfitChart
  label="{answer.figure === 'profit' ? 'Profit' : 'Revenue'} per customer by age"
  {curves}
  period={spoken(answer.period)}
  starts={answer.figure === 'profit'}
  {crossing}
  hint="Point at an age to read it; click a curve to see whose {answer.figure} it is."
/>
<h2 class="mt-1 text-lg">What may a new customer cost?</h2>
<div class="flex shrink-0 flex-col" style:height="{HEAD + ROW * Math.min(answer.affordable.length, 6) + 4}px">
  <DataTable
    label="What may a new customer cost"
    {columns}
    all={answer.affordable}
    rowHeight={ROW}
    headHeight={HEAD}
  />
</div>
