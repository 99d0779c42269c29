<script lang="ts">
  import { area, line } from 'd3-shape';
  import ValueAxis from './ValueAxis.svelte';
  import { extentOf, valueScale } from './scales';

  /** A curve over the columns of a table: each point stands in the middle of its column. */
  interface Props {
    title: string;
    values: (number | null)[];
    low?: (number | null)[];
    high?: (number | null)[];
    /** The same for everybody else, drawn dashed. */
    rest?: (number | null)[];
    /** The first column that has a point. */
    first: number;
    /** Where the first column begins, and how wide each is, in pixels. */
    left: number;
    step: number;
    height: number;
    shares: boolean;
    say: (value: number) => string;
    /** What stands under a column. */
    name: (column: number) => string;
    pointed: number;
    onopen: (column: number) => void;
  }
  let {
    title,
    values,
    low = [],
    high = [],
    rest = [],
    first,
    left,
    step,
    height,
    shares,
    say,
    name,
    pointed,
    onopen,
  }: Props = $props();

  interface Point {
    column: number;
    value: number;
    low: number | null;
    high: number | null;
  }
  const TOP = 10;
  const BOTTOM = 17;
  const NAME_ROOM = 26;
  const EVERY = [1, 2, 3, 6, 12, 24, 52];
  /** Bands of few customers must not flatten the curve. */
  const BAND_SHARE = 0.9;
  const place = (column: number) => left + (column - first + 0.5) * step;
  const pointsOf = (all: (number | null)[]): Point[] =>
    all.flatMap((value, column) =>
      value === null || column < first
        ? []
        : [{ column, value, low: low[column] ?? null, high: high[column] ?? null }],
    );
  const points = $derived(pointsOf(values));
  const others = $derived(pointsOf(rest));
  const y = $derived(
    valueScale(
      [height - BOTTOM, TOP],
      extentOf([
        ...points.map((point) => point.value),
        ...others.map((point) => point.value),
        ...points.map((point) => (point.high ?? 0) * BAND_SHARE),
      ]),
      shares,
    ),
  );
  const drawn = $derived(
    line<Point>(
      (point) => place(point.column),
      (point) => y(point.value),
    ),
  );
  const band = $derived(
    area<Point>()
      .defined((point) => point.low !== null && point.high !== null)
      .x((point) => place(point.column))
      .y0((point) => y(point.low ?? 0))
      .y1((point) => Math.max(TOP - 6, y(point.high ?? 0))),
  );
  const width = $derived(left + Math.max(1, values.length - first) * step);
  const every = $derived(EVERY.find((columns) => columns * step >= NAME_ROOM) ?? 52);
  const dot = $derived(step < 8 ? 1.4 : 2.5);
</script>

<svg {width} {height} role="img" aria-label="{title}; the same figures stand above">
  <text x="0" y={height - 4} class="label">{title}</text>
  <ValueAxis {y} from={left} to={width} {say} />
  {#if pointed >= first}
    <rect class="column" x={place(pointed) - step / 2} y="0" width={step} height={height - BOTTOM} />
  {/if}
  <path class="band" d={band(points) ?? ''} />
  {#if others.length > 0}<path class="curve others" d={drawn(others) ?? ''}
      ><title>everybody else</title></path
    >{/if}
  <path class="curve" d={drawn(points) ?? ''} />
  {#each points as point (point.column)}
    <!-- the figures above open the same, also by keys -->
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <g class="point" class:pointed={pointed === point.column} onclick={() => onopen(point.column)}>
      <circle class="reach" cx={place(point.column)} cy={y(point.value)} r="7" />
      <circle cx={place(point.column)} cy={y(point.value)} r={dot} />
      <title>{name(point.column) || point.column}: {say(point.value)}</title>
    </g>
    {#if point.column % every === 0 || point.column === first}
      <text class="label" x={place(point.column)} y={height - 4} text-anchor="middle"
        >{name(point.column)}</text
      >
    {/if}
  {/each}
</svg>

<style>
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
    font-weight: 400;
  }
  .column {
    fill: var(--color-base-content);
    opacity: 0.06;
  }
  .band {
    fill: var(--ramp-4);
    opacity: 0.45;
  }
  .curve {
    fill: none;
    stroke: var(--ramp-8);
    stroke-width: 2;
  }
  .curve.others {
    stroke: var(--color-neutral);
    stroke-dasharray: 5 4;
    stroke-width: 1.5;
  }
  .point {
    cursor: pointer;
  }
  .point circle {
    fill: var(--ramp-8);
  }
  .point circle.reach {
    fill: transparent;
  }
  .point.pointed circle.reach,
  .point:hover circle.reach {
    fill: none;
    stroke: var(--color-base-content);
    stroke-width: 1.5;
  }
</style>
