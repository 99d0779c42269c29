<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import type { Schemas } from '$lib/api/client';
  import { periodName, periodTick } from '$lib/format/dates';
  import { inUnits, onAxis } from '$lib/format/units';
  import { ofCalendar, spoken } from '$lib/periods';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import { bandPath, curvePath, pointsFrom, type CurvePoint } from '$src/charts/curve';
  import { extentOf, valueScale } from '$src/charts/scales';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import ValueAxis from '$src/charts/ValueAxis.svelte';
  import CohortRemarks from './CohortRemarks.svelte';
  import { firstAge } from './gridLayout';
  import type { Pointed } from './pointed';
  import { describe } from './readings';
  import { table } from './table.svelte';

  /** One line a cohort, by age or over the calendar; the one that is pointed at in ink. */
  interface Props {
    answer: Schemas['CohortsShape'];
    onopen: (cohort: string, age: number | string) => void;
  }
  let { answer, onopen }: Props = $props();

  const LEFT = 58;
  const RIGHT = 92;
  const TOP = 14;
  const BOTTOM = 38;
  const TICKS = 12;
  const TICK_WIDTH = 58;
  /** So many lines are a cloth rather than lines: each is drawn fainter. */
  const MANY = 24;
  const pointed = $derived(table.pointed);
  const first = $derived(firstAge(answer));
  const lines = $derived(
    answer.cohorts.flatMap((row, place) => {
      if (row.size === 0) return [];
      const at = answer.by_calendar ? place : 0;
      const points = pointsFrom(first, row.values, [], []).map((point) => ({ ...point, at: point.at + at }));
      return points.length > 0 ? [{ row, place, points, ends: at + row.complete }] : [];
    }),
  );
  /** Over all cohorts; of totals the parts are drawn alone, and by calendar each period has another mixture of ages. */
  const average = $derived(
    answer.totalled || answer.by_calendar
      ? []
      : pointsFrom(first, answer.all.values, answer.all.low, answer.all.high),
  );
  const begin = $derived(answer.by_calendar ? 0 : first);
  const last = $derived(Math.max(begin + 1, ...lines.map(({ points }) => points.at(-1)?.at ?? 0)));
  const inInk = $derived(lines.find(({ place }) => place === pointed?.row));
  const words = $derived(pointed === null ? '' : describe(answer, pointed));
  const rows = $derived(
    lines.map(({ row }) => ({
      name: periodName(row.cohort),
      cells: Array.from({ length: answer.ages_shown - first }, (_, at) => {
        const value = row.values[at + first] ?? null;
        const text = value === null ? '' : inUnits(value, answer.unit);
        return { text, ...(value === null ? {} : { open: () => onopen(row.cohort, at + first) }) };
      }),
    })),
  );
  const ageOf = (place: number, at: number) => at - (answer.by_calendar ? place : 0);

  /** The line nearest to a place of the drawing, and how old its cohort is there. */
  function nearest(at: number, top: number, y: (value: number) => number): Pointed | null {
    const there = lines.flatMap(({ place, points }) =>
      points.flatMap((point) =>
        point.at === at ? [{ row: place, age: ageOf(place, at), away: Math.abs(y(point.value) - top) }] : [],
      ),
    );
    there.sort((one, other) => one.away - other.away);
    const [found] = there;
    return found ? { row: found.row, age: found.age } : null;
  }

  function openPointed(): void {
    const row = pointed && answer.cohorts[pointed.row];
    if (pointed && row) onopen(row.cohort, pointed.part ? 'all' : pointed.age);
  }

  const over = (points: CurvePoint[], ends: number) => points.filter(({ at }) => at < ends);
  /** The age that still runs, joined to the last one that is over. */
  const running = (points: CurvePoint[], ends: number) => points.filter(({ at }) => at >= ends - 1);
</script>

<div class="flex min-h-0 flex-1 flex-col gap-4 desk:flex-row">
  <div class="flex min-h-[20rem] min-w-0 flex-1 flex-col desk:min-h-0">
    <ChartFrame
      {words}
      hint="Point at a line to read it, click to see who stands behind it. Dotted: still running.{average.length >
      0
        ? ' The broad line is the average.'
        : ''}"
    >
      {#snippet twin()}
        <TwinTable
          label="Each cohort by age"
          first="First order"
          titles={Array.from({ length: answer.ages_shown - first }, (_, at) => String(at + first))}
          {rows}
        />
      {/snippet}
      {#snippet drawing({ width, height })}
        {@const x = scaleLinear([begin, last], [LEFT, width - RIGHT])}
        {@const extent = extentOf(
          lines.flatMap(({ points, ends }) => over(points, ends).map(({ value }) => value)),
        )}
        {@const y = valueScale([height - BOTTOM, TOP], extent, answer.unit === 'share')}
        {@const point = (event: MouseEvent) => {
          const box = (event.currentTarget as SVGElement).getBoundingClientRect();
          const at = Math.max(begin, Math.min(last, Math.round(x.invert(event.clientX - box.left))));
          table.pointed = nearest(at, event.clientY - box.top, y);
        }}
        <!-- the same figures stand in the table, where they are opened by keys -->
        <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
        <svg
          {width}
          {height}
          role="img"
          aria-label="One line a cohort, {answer.by_calendar
            ? `by ${ofCalendar(answer.period)}`
            : 'by age'}; the same figures stand in the table"
          class="cursor-pointer"
          onpointermove={point}
          onpointerdown={point}
          onpointerleave={() => (table.pointed = null)}
          onclick={openPointed}
        >
          <clipPath id="cohort-lines"><rect x="0" y={TOP} {width} height={height - TOP} /></clipPath>
          <ValueAxis
            {y}
            from={LEFT}
            to={width - RIGHT}
            ticks={4}
            say={(value) => onAxis(value, answer.unit)}
          />
          <g clip-path="url(#cohort-lines)" class:many={lines.length > MANY}>
            {#if average.length > 0 && answer.unit === 'share'}
              <path class="band" d={bandPath(average, x, y, TOP)} />
            {/if}
            {#each lines as { row, place, points, ends } (place)}
              {#if row !== inInk?.row}
                <path class="line" class:small={row.small} d={curvePath(over(points, ends), x, y)} />
                <path
                  class="line running"
                  class:small={row.small}
                  d={curvePath(running(points, ends), x, y)}
                />
              {/if}
            {/each}
            <path class="average" d={curvePath(average, x, y)} />
            {#if inInk}
              <path class="ink" d={curvePath(over(inInk.points, inInk.ends), x, y)} />
              <path class="ink running" d={curvePath(running(inInk.points, inInk.ends), x, y)} />
              {#each inInk.points as each (each.at)}
                {#if !pointed?.part && ageOf(inInk.place, each.at) === pointed?.age}
                  <circle cx={x(each.at)} cy={y(each.value)} r="4.5" />
                {/if}
              {/each}
            {/if}
          </g>
          {#if inInk}
            {@const end = inInk.points.at(-1)}
            <text class="name" x={x(end?.at ?? 0) + 8} y={Math.max(TOP + 10, y(end?.value ?? 0) + 4)}
              >{periodName(inInk.row.cohort)}</text
            >
          {:else if average.length > 0}
            {@const end = average.at(-1)}
            <text class="name" x={x(end?.at ?? 0) + 8} y={y(end?.value ?? 0) + 4}>average</text>
          {/if}
          {#if answer.by_calendar}
            {@const every = Math.max(1, Math.ceil(TICK_WIDTH / (x(1) - x(0))))}
            {#each answer.periods.slice(0, last + 1) as period, at (period)}
              <text class="label" x={x(at)} y={height - BOTTOM + 18} text-anchor="middle"
                >{periodTick(period, at, every)}</text
              >
            {/each}
          {:else}
            {#each x.ticks(TICKS).filter(Number.isInteger) as tick (tick)}
              <text class="label" x={x(tick)} y={height - BOTTOM + 18} text-anchor="middle">{tick}</text>
            {/each}
          {/if}
          {#if !answer.by_calendar}
            <text class="label" x={x((begin + last) / 2)} y={height - 4} text-anchor="middle"
              >{answer.ages === 'calendar'
                ? `${ofCalendar(answer.period)}s`
                : `spans of the ${spoken(answer.period)}`}
              since the first order</text
            >
          {/if}
        </svg>
      {/snippet}
    </ChartFrame>
  </div>
  <CohortRemarks
    {answer}
    onpoint={(row) => (table.pointed = row === null ? null : { row, age: 0, part: 'back' })}
    onopen={(cohort) => onopen(cohort, 'all')}
  />
</div>

<style>
  path {
    fill: none;
  }
  .line {
    stroke: var(--ramp-5);
    stroke-width: 1.1;
    opacity: 0.7;
  }
  .many .line {
    opacity: 0.45;
  }
  .line.small {
    opacity: 0.3;
  }
  .running {
    stroke-dasharray: 1.5 3;
  }
  .average {
    stroke: var(--ramp-8);
    stroke-width: 3.5;
  }
  .band {
    fill: var(--ramp-3);
    opacity: 0.5;
  }
  .ink {
    stroke: var(--color-base-content);
    stroke-width: 2.2;
  }
  circle {
    fill: var(--color-base-100);
    stroke: var(--color-base-content);
    stroke-width: 2;
  }
  .name {
    fill: var(--color-base-content);
    font-size: 13px;
    font-weight: 600;
    paint-order: stroke;
    stroke: var(--color-base-200);
    stroke-width: 4px;
  }
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
</style>
