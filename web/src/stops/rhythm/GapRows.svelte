<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import type { Pages } from '$lib/pages.svelte';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { dayTicks, timeScale } from '$src/thread/smallThread';
  import { days } from './gaps';

  type Gaps = Schemas['GapsShape'];
  type Row = Gaps['rows'][number];
  interface Props {
    pages: Pages<Gaps, Row>;
    head: Gaps;
    onopen: (customer: number) => void;
  }
  let { pages, head: answer, onopen }: Props = $props();

  const NAME = 180;
  const FIGURE = 84;
  const SEQUENCE = 210;
  const SHORTEST = 140;
  const PADDING = 10;
  let width = $state(0);
  const byOrder = $derived(answer.by === 'order');
  const beside = $derived(NAME + (byOrder ? FIGURE + 110 : 3 * FIGURE + SEQUENCE));
  const thread = $derived(Math.max(SHORTEST, width - beside) - PADDING);
  const scale = $derived(timeScale(answer.first_date, answer.last_date, thread));
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
    ...(byOrder
      ? [
          {
            name: 'gap',
            title: 'Gap, days',
            width: FIGURE,
            right: true,
            strong: true,
            text: (row: Row) => count(row.median),
          },
          {
            name: 'date',
            title: 'Ended on',
            width: 110,
            right: true,
            text: (row: Row) => (row.date ? date(row.date) : ''),
          },
        ]
      : [
          {
            name: 'median',
            title: 'Median, days',
            width: FIGURE,
            right: true,
            strong: true,
            text: (row: Row) => days(row.median),
          },
          {
            name: 'mean',
            title: 'Mean, days',
            width: FIGURE,
            right: true,
            text: (row: Row) => row.mean.toFixed(1),
          },
          { name: 'gaps', title: 'Gaps', width: FIGURE, right: true, text: (row: Row) => count(row.count) },
          {
            name: 'sequence',
            title: 'In sequence, the latest last',
            width: SEQUENCE,
            quiet: true,
            text: (row: Row) => (row.count > row.gaps.length ? '… ' : '') + row.gaps.join(' · '),
            whole: (row: Row) => row.gaps.join(' · '),
          },
        ]),
  ]);
</script>

<DataTable
  label={byOrder ? 'Gaps, the longest first' : 'Customers by their median gap, the longest first'}
  {columns}
  count={answer.count}
  row={(at) => pages.row(at)}
  want={(from, to) => pages.want(from, to)}
  question={answer.sentence.map((part) => part.text).join('')}
  onopen={(row) => onopen(row.thread.customer)}
  empty="Nobody has ordered twice yet, so there is no gap."
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
    <SmallThread thread={row.thread} {scale} width={thread} plain={!byOrder} />
  {/snippet}
</DataTable>
