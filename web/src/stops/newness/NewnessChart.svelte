<script lang="ts">
  import { periodName } from '$lib/format/dates';
  import StackedColumns from '$src/charts/StackedColumns.svelte';
  import Swatch from '$src/charts/Swatch.svelte';
  import { eventsOver } from '$lib/periods';
  import type { Side } from './newness.svelte';
  import { change, noun, partsOf, series, share, tell, type Newness } from './parts';

  let { answer, onopen }: { answer: Newness; onopen: (at: string, side: Side) => void } = $props();

  const LEGEND = 28;
  let legend = $state(LEGEND);
  let width = $state(0);
  let height = $state(0);
  let pointed = $state<number | null>(null);
  const shares = $derived(answer.view === 'shares');
  const periods = $derived(answer.periods.map((period) => period.period));
  const drawn = $derived(series(answer));
  /** As people name them; drawn in another order, because one lies on another. */
  const legendOrder = $derived(
    ['new', 'returning', 'won_back'].flatMap((key) => drawn.filter((each) => each.key === key)),
  );
  const before = $derived(
    shares
      ? []
      : answer.periods.map(({ last_year }) => (last_year ? partsOf(last_year, answer.measure).total : null)),
  );
  const hasBefore = $derived(before.some((value) => value !== null));

  const words = $derived.by(() => {
    const period = pointed === null ? undefined : answer.periods[pointed];
    if (!period) return '';
    const now = partsOf(period, answer.measure);
    const told = (value: number) => tell(value, answer.measure);
    const was = period.last_year ? partsOf(period.last_year, answer.measure).total : null;
    return [
      `${periodName(period.period)}: ${told(now.total)} ${noun(answer)}, ${told(now.new)} new (${share(now.new, now.total)}), ${told(now.returning)} returning, ${told(now.wonBack)} of these won back`,
      ...(was === null
        ? []
        : [
            `a year earlier${period.partial ? ', up to the same day,' : ''} ${told(was)} (${change(now.total, was)})`,
          ]),
      ...(period.partial ? ['still running'] : []),
    ].join(' · ');
  });
</script>

<div class="flex min-h-0 flex-1 flex-col" bind:clientWidth={width} bind:clientHeight={height}>
  <p
    class="flex flex-wrap items-center gap-x-5 text-sm"
    style:min-height="{LEGEND}px"
    bind:clientHeight={legend}
  >
    {#each legendOrder as each (each.key)}
      <Swatch tone={each.tone} hatched={each.hatched ?? false}>{each.label}</Swatch>
    {/each}
    {#if hasBefore}
      <span class="inline-flex items-center gap-1.5"
        ><span class="year" aria-hidden="true"></span>the same {answer.period} a year earlier</span
      >
    {/if}
    {#if answer.periods.at(-1)?.partial}<span class="quiet">dashed: still running</span>{/if}
    {#if answer.events.length}<span class="quiet"
        ><span class="font-bold text-accent" aria-hidden="true">◦</span> an event</span
      >{/if}
  </p>
  {#if width > 0}
    <StackedColumns
      label="{noun(answer)} by {answer.period}, new and returning; the same figures stand in the table"
      {periods}
      series={drawn}
      {width}
      height={Math.max(160, height - legend - 30)}
      {shares}
      partial={answer.periods.at(-1)?.partial ? 1 : 0}
      {before}
      events={eventsOver(periods, answer.events)}
      tell={(value) => (shares ? `${Math.round(value * 100)} %` : tell(value, answer.measure))}
      {pointed}
      onpoint={(place) => (pointed = place)}
      onopen={(place, key) => onopen(periods[place] ?? 'all', key as Side)}
    />
  {/if}
  <p class="mt-1 h-6 shrink-0 truncate text-sm" aria-live="polite" title={words}>
    {#if words}{words}{:else}<span class="quiet not-printed"
        >Point at a column to read it, click a part of it to see who stands behind it.</span
      >{/if}
  </p>
</div>

<style>
  .year {
    width: 14px;
    height: 0;
    border-top: 2px solid var(--color-base-content);
  }
</style>
