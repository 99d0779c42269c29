<script lang="ts">
  import { periodName, periodTick } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import type { Schemas } from '$lib/api/client';
  import { eventsOver, spoken } from '$lib/periods';
  import { address } from '$lib/address.svelte';
  import Events from '$src/written/Events.svelte';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import { question } from '$lib/question.svelte';
  import { FLOWS, NAMES, periodWords, STANDS, TONES, type Flow, type Over } from '../standings';
  import StandingsCloth from './StandingsCloth.svelte';

  let { answer, over }: { answer: Schemas['StandingShape']; over: Over } = $props();

  let pointed = $state<number | null>(null);
  const legend = $derived(
    STANDS.filter((_, at) => over.periods.some(({ customers }) => (customers[at] ?? 0) > 0)).map(
      (stands) => ({
        label: NAMES[stands],
        tone: TONES[stands],
      }),
    ),
  );
  const periods = $derived(over.periods.map(({ period }) => period));
  const moving = $derived(
    over.flows.flatMap((flow, at) =>
      over.periods.some(({ flows }) => (flows[at] ?? 0) > 0) ? [{ flow, at }] : [],
    ),
  );
  const open = (at: number, stands: string, flow?: Flow) =>
    question.open(stands, periods[at] ?? '', flow ?? '');
  const rows = $derived(
    over.periods.map((period, place) => ({
      name: periodName(period.period),
      cells: [
        ...STANDS.map((stands, at) => ({
          text: count(period.customers[at] ?? 0),
          open: () => open(place, stands),
        })),
        ...moving.map(({ flow, at }) => ({
          text: count(period.flows[at] ?? 0),
          open: () => open(place, 'all', flow),
        })),
      ],
    })),
  );
</script>

<ChartFrame
  {legend}
  words={pointed === null ? '' : periodWords(over, pointed)}
  hint="Point at a {spoken(
    over.period,
  )} to read it. Threads passing down are newly lapsed, threads passing up were won back; click a band or a thread."
>
  {#snippet marks()}
    {#if over.partial}<span class="quiet">dashed: still running</span>{/if}
    <Events book={address.book ?? 0} events={answer.events} />
  {/snippet}
  {#snippet twin()}
    <TwinTable
      label="Standings at the end of each {spoken(over.period)}"
      first="End of"
      titles={[...STANDS.map((stands) => NAMES[stands]), ...moving.map(({ flow }) => FLOWS[flow])]}
      {rows}
    />
  {/snippet}
  {#snippet drawing({ width, height })}
    <StandingsCloth
      {over}
      {width}
      {height}
      events={eventsOver(periods, answer)}
      tick={(at, every) => periodTick(periods[at] ?? '', at, every)}
      {pointed}
      onpoint={(place) => (pointed = place)}
      onopen={open}
    />
  {/snippet}
</ChartFrame>
