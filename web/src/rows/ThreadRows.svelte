<script lang="ts" generics="Row extends { thread: Schemas['ThreadShape'] }">
  import type { Rows } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { OWN } from '$lib/api/fields';
  import { date } from '$lib/format/dates';
  import { question } from '$lib/question.svelte';
  import { addressed } from '$src/table/addressed';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { useNoted } from '$src/written/noted.svelte';
  import NoteMark from '$src/written/NoteMark.svelte';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { dayTicks, timeScale } from '$src/thread/smallThread';

  interface Props {
    label: string;
    /** The rows, page by page as they are scrolled to. */
    rows: Rows<Row>;
    /** What the list says of itself. Another sentence begins at the top; all threads share the axis of its dates. */
    answer: {
      count: number;
      sentence: Schemas['PartShape'][];
      controls: Schemas['ControlShape'][];
      large_amount: string;
      first_date: string;
      last_date: string;
    };
    /** What stands behind the thread, for the width of the list; each column says its own. */
    beside: (width: number) => (Column<Row> & { width: number })[];
    /** No order of the rows stands out, so none is ringed. */
    plain: boolean;
    nameWidth?: number;
    shortest?: number;
    empty: string;
    looks?: (row: Row, at: number) => string;
    onopen: (customer: number) => void;
    opened?: number | null;
  }
  let {
    label,
    rows,
    answer,
    beside,
    plain,
    nameWidth = 180,
    shortest = 130,
    empty,
    looks,
    onopen,
    opened = null,
  }: Props = $props();

  const PADDING = 10;
  const noted = useNoted();
  let width = $state(0);
  const others = $derived(beside(width));
  const taken = $derived(others.reduce((sum, column) => sum + column.width, nameWidth));
  const thread = $derived(Math.max(shortest, width - taken) - PADDING);
  const scale = $derived(timeScale(answer.first_date, answer.last_date, thread));
  /** The words of the sentence that say in which sequence it is; a click on a head changes the same. */
  const sequence = $derived.by(() => {
    const [by, direction] = ['by', 'direction'].map((name) =>
      answer.controls.find((control) => control.name === name),
    );
    if (!by || !direction) return OWN[question.name]?.includes('sort') ? addressed : undefined;
    const [now, down] = [by.chosen[0] ?? '', direction.chosen[0] === 'down'];
    return {
      by: now,
      down,
      can: (field: string) => by.options.some((option) => option.value === field),
      onsort: (field: string) =>
        field === now ? question.choose('direction', [down ? 'up' : 'down']) : question.choose('by', [field]),
    };
  });
  const columns = $derived<Column<Row>[]>([
    {
      name: 'customer',
      title: 'Customer',
      width: nameWidth,
      strong: true,
      sorts: 'name',
      text: (row) => row.thread.name,
      whole: (row) => `${row.thread.name} · ${row.thread.key}`,
    },
    {
      name: 'thread',
      title: `Thread, ${date(answer.first_date)} to ${date(answer.last_date)}`,
      width: thread + PADDING,
    },
    ...others,
  ]);
</script>

<DataTable
  {label}
  {columns}
  count={answer.count}
  row={rows.row}
  want={rows.want}
  take={rows.take}
  {sequence}
  question={answer.sentence.map((part) => part.text).join('')}
  onopen={(row) => onopen(row.thread.customer)}
  {...looks ? { looks } : {}}
  isOpened={(row) => row.thread.customer === opened}
  {empty}
  bind:width
>
  {#snippet head(column)}
    {#if column.name === 'thread'}
      <span class="sr-only">{column.title}</span>
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
    <span class="relative block">
      <SmallThread thread={row.thread} {scale} width={thread} large={answer.large_amount} {plain} />
      {#if noted.has('customer', row.thread.customer)}<span class="absolute top-0 right-0"><NoteMark /></span
        >{/if}
    </span>
  {/snippet}
</DataTable>
