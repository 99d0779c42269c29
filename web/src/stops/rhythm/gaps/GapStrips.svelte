<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { count, decimal } from '$lib/format/figures';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import GapStrip from './GapStrip.svelte';
  import { days, gapScale, gapTicks } from '../gaps';
  import { question } from '$lib/question.svelte';

  type Gaps = Schemas['GapsShape'];
  type Group = Schemas['GapGroupShape'];
  let { answer }: { answer: Gaps } = $props();

  const PERIODS = ['week', 'month', 'quarter', 'year', 'fiscal-quarter', 'fiscal-year'];
  const NAME = 190;
  const FIGURE = 82;
  const FIGURES = 4;
  const SHORTEST = 200;
  const TALLEST = 52;
  const LOWEST = 30;
  const HEAD = 36;
  const PADDING = 16;
  let width = $state(0);
  let height = $state(0);
  const strip = $derived(Math.max(SHORTEST, width - NAME - FIGURES * FIGURE - PADDING));
  const scale = $derived(gapScale(answer.longest, strip));
  const ticks = $derived(gapTicks(scale, answer.longest));
  const rowHeight = $derived(
    Math.round(Math.min(TALLEST, Math.max(LOWEST, (height - HEAD) / Math.max(1, answer.groups.length)))),
  );
  const name = (group: Group) =>
    (PERIODS.includes(answer.by) ? periodName(group.label) : group.words) +
    (group.partial ? ', still running' : '');
  const figure = (
    name: string,
    title: string,
    about: string,
    text: (group: Group) => string,
    strong = false,
  ): Column<Group> => ({
    name,
    title,
    about,
    width: FIGURE,
    right: true,
    strong,
    quiet: !strong,
    text,
  });
  const columns = $derived<Column<Group>[]>([
    {
      name: 'group',
      title: answer.by === 'step' ? 'From order to order' : 'Gaps',
      width: NAME,
      names: true,
      text: name,
      whole: name,
      open: (group) => () => question.open('', '', group.label),
    },
    { name: 'strip', title: 'Days', width: strip + PADDING },
    figure(
      'median',
      'Median',
      'Half of the gaps are shorter',
      (group) => days(group.statistics.median),
      true,
    ),
    figure('mean', 'Mean', 'Over gaps', (group) => decimal(group.statistics.mean)),
    figure('count', 'Gaps', 'How many there are', (group) => count(group.statistics.gaps)),
    figure('customers', 'Customers', 'Who have such a gap', (group) => count(group.statistics.customers)),
  ]);
</script>

<div class="flex min-h-0 flex-1 flex-col" bind:clientWidth={width} bind:clientHeight={height}>
  <DataTable
    label="Gaps in days"
    {columns}
    all={answer.groups}
    {rowHeight}
    headHeight={HEAD}
    question={answer.sentence.map((part) => part.text).join('')}
    empty="Nobody has ordered twice yet, so there is no gap."
  >
    {#snippet head(column)}
      {#if column.name === 'strip'}
        <span class="sr-only">Days between orders</span>
        <span class="relative block h-4" aria-hidden="true">
          {#each ticks as tick (tick)}
            <span
              class="absolute bottom-0 -translate-x-1/2 whitespace-nowrap"
              style:left="{tick === 0 ? Math.max(scale(tick), 26) : scale(tick)}px"
              >{tick === 0
                ? '0 days'
                : tick === 365
                  ? '1 year'
                  : tick % 365 === 0
                    ? `${tick / 365} years`
                    : tick}</span
            >
          {/each}
        </span>
      {:else}{column.title}{/if}
    {/snippet}
    {#snippet cell(group)}
      <GapStrip
        {group}
        edges={answer.edges}
        longest={answer.longest}
        {scale}
        {ticks}
        width={strip}
        height={rowHeight - 1}
        onopen={(shortest, longest) => question.open(shortest, longest, group.label)}
      />
    {/snippet}
  </DataTable>
</div>
