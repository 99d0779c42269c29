<script lang="ts">
  import { spoken } from '$lib/periods';
  import { quantile } from 'd3-array';
  import type { Schemas } from '$lib/api/client';
  import { inUnits } from '$lib/format/units';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import SmallTable from './SmallTable.svelte';
  import SplitCurves from './SplitCurves.svelte';
  import { rampOf, firstAge } from './gridLayout';

  interface Props {
    answer: Schemas['CohortsShape'];
    split: Schemas['SplitShape'];
    age: number;
    onage: (age: number) => void;
    onopen: (cohort: string, age: number, group: string) => void;
  }
  let { answer, split, age, onage, onopen }: Props = $props();

  const GAP = 18;
  const YEARS = 36;
  const FEWEST = 5;
  const ROW_GAP = 10;
  const NARROW = 560;
  const LOWEST = 90;
  let words = $state('');
  const ages = $derived(
    Array.from(
      { length: Math.max(0, answer.ages_shown - firstAge(answer)) },
      (_, at) => at + firstAge(answer),
    ),
  );
  /** A handful of customers says nothing about the scale, nor do the few highest cells. */
  const colours = $derived.by(() => {
    const values = split.groups.flatMap((group) =>
      group.cohorts.flatMap((row) =>
        row.size < FEWEST ? [] : row.values.slice(firstAge(answer)).filter((value) => value !== null),
      ),
    );
    return rampOf([[quantile(values, 0.97) ?? 0]], answer.unit);
  });
</script>

<ChartFrame
  {words}
  hint="One ramp for all: cohorts downwards, ages to the right. Below, averages with 95 % confidence intervals, from {answer.small_below} customers on."
>
  {#snippet marks()}<span class="quiet">each group’s cohorts, and its average by age</span>{/snippet}
  {#snippet twin()}
    <TwinTable
      label="Average by age and {split.title}"
      first="{spoken(answer.period)}s later"
      titles={split.groups.map((group) => group.label)}
      rows={ages.map((at) => ({
        name: String(at),
        cells: split.groups.map((group) => ({
          text: inUnits(group.values[at] ?? null, answer.unit),
          open: () => onopen('all', at, group.label),
        })),
      }))}
    />
  {/snippet}
  {#snippet drawing(room)}
    {@const across = Math.min(
      split.groups.length,
      room.width < NARROW ? 2 : split.groups.length > 5 ? 4 : split.groups.length,
    )}
    {@const down = Math.ceil(split.groups.length / Math.max(1, across))}
    {@const curves = Math.max(120, Math.min(230, room.height * 0.36))}
    {@const tableWidth = Math.floor((room.width - YEARS - GAP * (across - 1)) / Math.max(1, across))}
    {@const tableHeight = Math.max(
      LOWEST,
      Math.floor((room.height - curves - ROW_GAP * (down + 1)) / Math.max(1, down)),
    )}
    <div class="flex flex-wrap" style:gap="{ROW_GAP}px {GAP}px" data-testid="small-tables">
      {#each split.groups as group, at (at)}
        {@const margin = at % across === 0 ? YEARS : 0}
        <SmallTable
          {answer}
          {group}
          {colours}
          width={tableWidth + margin}
          {margin}
          height={tableHeight}
          onpoint={(at, reading) => {
            if (at !== null) onage(at);
            words = reading;
          }}
          onopen={(cohort, at) => onopen(cohort, at, group.label)}
        />
      {/each}
    </div>
    <SplitCurves
      {answer}
      groups={split.groups}
      width={room.width}
      height={curves}
      {age}
      onpoint={(at) => {
        if (at !== null) onage(at);
      }}
      onopen={(group, at) => onopen('all', at, group)}
    />
  {/snippet}
</ChartFrame>
