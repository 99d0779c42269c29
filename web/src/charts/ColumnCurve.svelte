<script lang="ts">
  import ValueAxis from './ValueAxis.svelte';
  import { bandPath, curvePath, pointsFrom } from './curve';
  import { extentOf, valueScale } from './scales';

  /** A curve over the columns of a table: each point stands in the middle of its column. */
  interface Props {
    title: string;
    values: (number | null)[];
    low?: (number | null)[];
    high?: (number | null)[];
    /** The same for everybody else, drawn dashed. */
    rest?: (number | null)[];
    /** Bounds of figures of a column that are watched. */
    targets?: { at: number; value: number }[];
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
    targets = [],
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

  const TOP = 10;
  const BOTTOM = 17;
  const NAME_ROOM = 26;
  const TARGET = 18;
  const EVERY = [1, 2, 3, 6, 12, 24, 52];
  /** Bands of few customers must not flatten the curve. */
  const BAND_SHARE = 0.9;
  const place = (column: number) => left + (column - first + 0.5) * step;
  const points = $derived(pointsFrom(first, values, low, high));
  const others = $derived(pointsFrom(first, rest, [], []));
  const y = $derived(
    valueScale(
      [height - BOTTOM, TOP],
      extentOf([
        ...points.map((point) => point.value),
        ...others.map((point) => point.value),
        ...targets.map(({ value }) => value),
        ...points.map((point) => (point.high ?? 0) * BAND_SHARE),
      ]),
      shares,
    ),
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
  <path class="band" d={bandPath(points, place, y, TOP - 6)} />
  {#if others.length > 0}<path class="curve others" d={curvePath(others, place, y)}
      ><title>everybody else</title></path
    >{/if}
  <path class="curve" d={curvePath(points, place, y)} />
  {#each targets as { at, value }, nth (nth)}
    <line
      class="target"
      x1={place(at) - Math.max(step, TARGET) / 2}
      x2={place(at) + Math.max(step, TARGET) / 2}
      y1={y(value)}
      y2={y(value)}><title>target {say(value)}</title></line
    >
  {/each}
  {#each points as point (point.at)}
    <!-- the figures above open the same, also by keys -->
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <g class="point" class:pointed={pointed === point.at} onclick={() => onopen(point.at)}>
      <circle class="reach" cx={place(point.at)} cy={y(point.value)} r="7" />
      <circle cx={place(point.at)} cy={y(point.value)} r={dot} />
      <title>{name(point.at) || point.at}: {say(point.value)}</title>
    </g>
    {#if point.at % every === 0 || point.at === first}
      <text class="label" x={place(point.at)} y={height - 4} text-anchor="middle">{name(point.at)}</text>
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
  .target {
    stroke: var(--color-error);
    stroke-width: 2;
    stroke-dasharray: 4 3;
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
