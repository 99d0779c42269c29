<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { question } from '$lib/question.svelte';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { change, exact, partsOf, share, say, type Newness } from './parts';

  type Period = Schemas['NewnessPeriodShape'];
  let { answer }: { answer: Newness } = $props();

  /** The latest period first: that is the one that is asked about. */
  const periods = $derived([...answer.periods].reverse());
  const of = (period: Period) => partsOf(period, answer.measure);
  const before = (period: Period) =>
    period.last_year ? partsOf(period.last_year, answer.measure).total : null;
  const figure = (title: string, side: 'new' | 'returning' | 'won_back'): Column<Period> => ({
    name: side,
    title,
    width: 110,
    right: true,
    text: (period) => exact(period, answer.measure, side),
    open: (period) => () => question.open(period.period, side),
  });
  const columns = $derived<Column<Period>[]>([
    {
      name: 'period',
      title: spoken(answer.period).charAt(0).toUpperCase() + spoken(answer.period).slice(1),
      names: true,
      value: (period) => period.period,
      text: (period) => `${periodName(period.period)}${period.partial ? ', still running' : ''}`,
    },
    figure('New', 'new'),
    figure('Returning', 'returning'),
    figure('of these won back', 'won_back'),
    {
      name: 'all',
      title: 'In all',
      width: 110,
      right: true,
      strong: true,
      text: (period) => say(of(period).total, answer.measure),
      open: (period) => () => question.open(period.period, 'all'),
    },
    {
      name: 'share',
      title: 'New, share',
      width: 90,
      right: true,
      text: (period) => share(of(period).new, of(period).total),
    },
    {
      name: 'before',
      title: 'A year earlier',
      width: 110,
      right: true,
      quiet: true,
      text: (period) => {
        const was = before(period);
        return was === null ? '—' : say(was, answer.measure);
      },
    },
    {
      name: 'change',
      title: 'Change',
      width: 90,
      right: true,
      quiet: true,
      text: (period) => {
        const was = before(period);
        return was === null ? '—' : change(of(period).total, was);
      },
    },
  ]);
</script>

<DataTable label="New and returning by {spoken(answer.period)}" {columns} all={periods} rowHeight={28} />
