<script lang="ts">
  import { periodName } from '$lib/format/dates';
  import { question } from '$lib/question.svelte';
  import { address } from '$lib/address.svelte';
  import { me } from '$lib/me.svelte';
  import Events from '$src/written/Events.svelte';
  import StackedColumns from '$src/charts/StackedColumns.svelte';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import { useTargets } from '$lib/targets.svelte';
  import { daysOf, eventsOver, spoken } from '$lib/periods';
  import { useNoted } from '$src/written/noted.svelte';
  import NewnessTable from './NewnessTable.svelte';
  import { change, noun, partsOf, series, share, say, type Newness } from './parts';

  let { answer }: { answer: Newness } = $props();

  const shares = $derived(answer.view === 'shares');
  const noted = useNoted();
  const targets = useTargets();
  /** Of columns as a whole; the height of a part of one says nothing where it stands on others. */
  const totals = $derived(
    shares
      ? []
      : targets.all.flatMap(({ figure, bound }) => ((figure['side'] ?? 'all') === 'all' ? [bound] : [])),
  );
  let pointed = $state<number | null>(null);
  let events = $state<Events>();
  const mayPut = $derived(me.may('import and correct'));
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
    const said = (value: number) => say(value, answer.measure);
    const was = period.last_year ? partsOf(period.last_year, answer.measure).total : null;
    return [
      `${periodName(period.period)}: ${said(now.total)} ${noun(answer)}, ${said(now.new)} new (${share(now.new, now.total)}), ${said(now.returning)} returning, ${said(now.wonBack)} of these won back`,
      ...(was === null
        ? []
        : [
            `a year earlier${period.partial ? ', up to the same day,' : ''} ${said(was)} (${change(now.total, was)})`,
          ]),
      ...(period.partial ? ['still running'] : []),
    ].join(' · ');
  });
</script>

<ChartFrame
  legend={legendOrder}
  {words}
  hint="Point at a column to read it, click a part of it to see who stands behind it{mayPut
    ? `, or the name of a ${spoken(answer.period)} to put an event there`
    : ''}."
>
  {#snippet marks()}
    {#if hasBefore}
      <span class="inline-flex items-center gap-1.5"
        ><span class="year" aria-hidden="true"></span>the same {spoken(answer.period)} a year earlier</span
      >
    {/if}
    {#if answer.periods.at(-1)?.partial}<span class="quiet">dashed: still running</span>{/if}
    <Events bind:this={events} book={address.book ?? 0} events={answer.events} />
  {/snippet}
  {#snippet twin()}<NewnessTable {answer} />{/snippet}
  {#snippet drawing({ width, height })}
    <StackedColumns
      label="{noun(answer)} by {spoken(answer.period)}, new and returning"
      {periods}
      series={drawn}
      {width}
      {height}
      {shares}
      partial={answer.periods.at(-1)?.partial ? 1 : 0}
      {before}
      events={eventsOver(periods, answer)}
      isNoted={(period) => noted.has('period', period)}
      say={(value) => (shares ? `${Math.round(value * 100)} %` : say(value, answer.measure))}
      {pointed}
      onpoint={(place) => (pointed = place)}
      targets={totals}
      onaxis={mayPut
        ? (place) => events?.begin(daysOf(periods[place] ?? '', answer.fiscal_month))
        : undefined}
      onopen={(place, key) => question.open(periods[place] ?? 'all', key)}
    />
  {/snippet}
</ChartFrame>

<style>
  .year {
    width: 14px;
    height: 0;
    border-top: 2px solid var(--color-base-content);
  }
</style>
