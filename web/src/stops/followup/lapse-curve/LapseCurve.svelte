<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import type { Schemas } from '$lib/api/client';
  import { count, counted } from '$lib/format/figures';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import { curvePath } from '$src/charts/curve';
  import { dayTicks } from '$src/charts/days';
  import { valueScale } from '$src/charts/scales';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import ValueAxis from '$src/charts/ValueAxis.svelte';
  import { question } from '$lib/question.svelte';
  import { limitWords } from '../standings';

  let { answer }: { answer: Schemas['LapseCurveShape'] } = $props();

  const LEFT = 62;
  const TOP = 40;
  const BOTTOM = 26;
  const RIGHT = 20;
  const last = $derived(Math.max(1, answer.days.at(-1) ?? 1));
  let pointed = $state<number | null>(null);
  const lapsedAt = (days: number) => {
    const place = Math.min(
      answer.days.length - 1,
      answer.days.findIndex((each) => each >= days),
    );
    return answer.lapsed[place < 0 ? answer.lapsed.length - 1 : place] ?? 0;
  };
  const points = $derived(
    answer.days.map((at, place) => ({ at, value: answer.lapsed[place] ?? 0, low: null, high: null })),
  );
  const marks = $derived(
    [
      { days: answer.chosen_days, lapsed: answer.chosen_lapsed, words: 'the limit now', kind: 'chosen' },
      { days: answer.suggested_days, lapsed: answer.suggested_lapsed, words: 'suggested', kind: 'suggested' },
    ].flatMap(({ days, lapsed, ...mark }) =>
      days === null || lapsed === null ? [] : [{ ...mark, days, lapsed }],
    ),
  );
  const words = (days: number) =>
    `${counted(days, 'day')}: ${limitWords(lapsedAt(days), answer.customers)} would count as lapsed`;
  const rows = $derived(
    [...new Set([...dayTicks(last), ...marks.map(({ days }) => days)])]
      .sort((one, other) => one - other)
      .map((days) => ({
        name: counted(days, 'day'),
        cells: [{ text: count(lapsedAt(days)), open: () => question.open(days) }],
      })),
  );
</script>

<ChartFrame
  words={pointed === null ? '' : words(pointed)}
  hint="Point at a limit to read it, click to see who would count as lapsed."
>
  {#snippet twin()}
    <TwinTable
      label="Customers who would count as lapsed, by limit"
      first="Limit"
      titles={['Lapsed']}
      {rows}
    />
  {/snippet}
  {#snippet drawing({ width, height })}
    {@const x = scaleLinear([0, last], [LEFT, width - RIGHT])}
    {@const y = valueScale([height - BOTTOM, TOP], { lowest: 0, highest: answer.customers }, false, 4)}
    {@const at = (event: MouseEvent) =>
      Math.min(
        last,
        Math.max(
          0,
          Math.round(
            x.invert(event.clientX - (event.currentTarget as SVGElement).getBoundingClientRect().left),
          ),
        ),
      )}
    <!-- the same figures stand in the table, where they are opened by keys -->
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
    <svg
      {width}
      {height}
      role="img"
      aria-label="Customers who would count as lapsed at every limit"
      class="cursor-pointer"
      onpointermove={(event) => (pointed = at(event))}
      onpointerdown={(event) => (pointed = at(event))}
      onpointerleave={() => (pointed = null)}
      onclick={(event) => question.open(at(event))}
    >
      <ValueAxis {y} from={LEFT} to={width - RIGHT} ticks={4} say={count} />
      <path class="under" d="{curvePath(points, x, y, true)}L{x(last)} {y(0)}L{x(0)} {y(0)}Z" />
      <path class="curve" d={curvePath(points, x, y, true)} />
      {#each marks as mark, place (mark.kind)}
        {@const right = x(mark.days) > width - 220}
        <line class={mark.kind} x1={x(mark.days)} x2={x(mark.days)} y1={TOP - 26 + place * 18} y2={y(0)} />
        <circle class={mark.kind} cx={x(mark.days)} cy={y(mark.lapsed)} r="5" />
        <text
          class="said"
          x={x(mark.days) + (right ? -7 : 7)}
          y={TOP - 15 + place * 18}
          text-anchor={right ? 'end' : 'start'}
          >{mark.words}: {counted(mark.days, 'day')}, {count(mark.lapsed)} lapsed</text
        >
      {/each}
      {#if pointed !== null}
        <line class="pointed" x1={x(pointed)} x2={x(pointed)} y1={TOP} y2={y(0)} />
      {/if}
      <text class="label" x="0" y={height - 6}>days</text>
      {#each dayTicks(last) as tick (tick)}
        <text class="label" x={x(tick)} y={height - 6} text-anchor="middle">{count(tick)}</text>
      {/each}
    </svg>
  {/snippet}
</ChartFrame>

<style>
  .curve {
    fill: none;
    stroke: var(--ramp-8);
    stroke-width: 2.25;
  }
  .under {
    fill: var(--ramp-4);
    opacity: 0.32;
  }
  .chosen {
    stroke: var(--color-base-content);
    stroke-width: 1.5;
    fill: var(--color-base-content);
  }
  .suggested {
    stroke: var(--gold);
    stroke-width: 1.5;
    stroke-dasharray: 3 3;
    fill: var(--color-base-200);
  }
  circle.suggested {
    stroke-dasharray: none;
    stroke-width: 2.5;
  }
  .said {
    fill: var(--color-base-content);
    font-weight: 600;
    font-size: 13px;
  }
  .pointed {
    stroke: var(--color-neutral);
    stroke-width: 1;
  }
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
</style>
