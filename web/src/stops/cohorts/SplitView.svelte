<script lang="ts">
  import { quantile } from 'd3-array';
  import type { Schemas } from '$lib/api/client';
  import SmallTable from './SmallTable.svelte';
  import SplitCurves from './SplitCurves.svelte';
  import { rampOf, firstAge } from './grid';

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
  let width = $state(0);
  let height = $state(0);
  let words = $state('');
  const across = $derived(Math.min(split.groups.length, split.groups.length > 5 ? 4 : split.groups.length));
  const down = $derived(Math.ceil(split.groups.length / Math.max(1, across)));
  const curves = $derived(Math.max(120, Math.min(230, height * 0.36)));
  const table = $derived({
    width: Math.floor((width - YEARS - GAP * (across - 1)) / Math.max(1, across)),
    height: Math.floor((height - curves - 34 - ROW_GAP * down) / Math.max(1, down)),
  });
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

<div class="flex min-h-0 flex-1 flex-col" bind:clientWidth={width} bind:clientHeight={height}>
  {#if width > 0}
    <div class="flex flex-wrap" style:gap="{ROW_GAP}px {GAP}px" data-testid="small-tables">
      {#each split.groups as group, at (group.label)}
        {@const margin = at % across === 0 ? YEARS : 0}
        <SmallTable
          {answer}
          {group}
          {colours}
          width={table.width + margin}
          {margin}
          height={table.height}
          onpoint={(at, told) => {
            if (at !== null) onage(at);
            words = told;
          }}
          onopen={(cohort, at) => onopen(cohort, at, group.label)}
        />
      {/each}
    </div>
    <p class="mt-1 h-6 shrink-0 truncate text-sm" aria-live="polite">
      {#if words}{words}{:else}<span class="quiet not-printed"
          >One ramp for all: cohorts downwards, ages to the right. Below, averages with 95 % bands, from 30
          customers on.</span
        >{/if}
    </p>
    <SplitCurves
      {answer}
      groups={split.groups}
      {width}
      height={curves}
      {age}
      onpoint={(at) => {
        if (at !== null) onage(at);
      }}
      onopen={(group, at) => onopen('all', at, group)}
    />
  {/if}
</div>
