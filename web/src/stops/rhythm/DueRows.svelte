<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';
  import type { Pages } from '$lib/pages.svelte';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { dayTicks, timeScale } from '$src/thread/smallThread';
  import { days } from './gaps';

  type Due = Schemas['DueShape'];
  type Row = Due['rows'][number];
  interface Props {
    pages: Pages<Due, Row>;
    head: Due;
    onopen: (customer: number) => void;
  }
  let { pages, head: answer, onopen }: Props = $props();

  const NAME = 180;
  const FIGURE = 92;
  const FIGURES = 5;
  const SHORTEST = 130;
  const PADDING = 10;
  let width = $state(0);
  const thread = $derived(Math.max(SHORTEST, width - NAME - FIGURES * FIGURE) - PADDING);
  const scale = $derived(timeScale(answer.first_date, answer.last_date, thread));
  const LEAST = 0.05;
  /** How late, in usual gaps. */
  const inGaps = ({ days_late: late, overdue }: Row) =>
    late === 0 || overdue === null ? '' : overdue - 1 < LEAST ? 'under 0.1' : (overdue - 1).toFixed(1);
  const columns = $derived<Column<Row>[]>([
    {
      name: 'customer',
      title: 'Customer',
      width: NAME,
      strong: true,
      text: (row) => row.thread.name,
      whole: (row) => `${row.thread.name} · ${row.thread.key}`,
    },
    { name: 'thread', title: 'Thread', width: thread + PADDING },
    { name: 'due', title: 'Expected', width: FIGURE, right: true, text: (row) => date(row.next_due) },
    {
      name: 'late',
      title: 'Days late',
      width: FIGURE,
      right: true,
      strong: true,
      text: (row) => (row.days_late > 0 ? count(row.days_late) : ''),
    },
    {
      name: 'gaps late',
      title: 'In usual gaps',
      about: 'How many usual gaps beyond the expected one',
      width: FIGURE,
      right: true,
      text: inGaps,
    },
    {
      name: 'gap',
      title: 'Usual gap, days',
      about: 'The customer’s own, or everybody’s at that step where it stands in brackets',
      width: FIGURE,
      right: true,
      text: (row) => (row.own_gap ? days(row.expected_gap) : `(${days(row.expected_gap)})`),
      whole: (row) => (row.own_gap ? 'the customer’s own' : 'everybody’s at that step'),
    },
    {
      name: 'revenue',
      title: `Revenue, ${answer.currency}`,
      width: FIGURE,
      right: true,
      text: (row) => money(row.revenue, true),
    },
  ]);
</script>

<DataTable
  label="{count(answer.count)} customers, those just late first, then by the day on which they are expected"
  {columns}
  count={answer.count}
  row={(at) => pages.row(at)}
  want={(from, to) => pages.want(from, to)}
  question={answer.sentence.map((part) => part.text).join('')}
  onopen={(row) => onopen(row.thread.customer)}
  empty="Nobody is expected in that time, and nobody is late."
  bind:width
>
  {#snippet head(column)}
    {#if column.name === 'thread'}
      <span class="sr-only">Thread, {date(answer.first_date)} to {date(answer.last_date)}</span>
      <span class="relative block h-4" aria-hidden="true">
        {#each dayTicks(scale, thread) as tick (tick.day)}
          <span class="absolute bottom-0 -translate-x-1/2 whitespace-nowrap" style:left="{tick.x}px"
            >{tick.label}</span
          >
        {/each}
      </span>
    {:else}{column.title}{/if}
  {/snippet}
  {#snippet cell(row)}
    <SmallThread thread={row.thread} {scale} width={thread} plain />
  {/snippet}
</DataTable>
