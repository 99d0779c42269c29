<script lang="ts">
  import { max } from 'd3-array';
  import { shareScale } from './columns';
  import { area, line } from 'd3-shape';

  interface Props {
    title: string;
    values: (number | null)[];
    low?: (number | null)[];
    high?: (number | null)[];
    /** The same for everybody else, drawn dashed. */
    rest?: (number | null)[];
    firstAge: number;
    width: number;
    height: number;
    place: (age: number) => number;
    tell: (value: number) => string;
    pointed: number | null;
    onopen: (age: number) => void;
  }
  let {
    title,
    values,
    low,
    high,
    rest = [],
    firstAge,
    width,
    height,
    place,
    tell,
    pointed,
    onopen,
  }: Props = $props();

  const TOP = 22;
  const BOTTOM = 16;
  const points = $derived(
    values
      .map((value, age) => ({ age, value, low: low?.[age] ?? null, high: high?.[age] ?? null }))
      .filter((point) => point.age >= firstAge && point.value !== null),
  );
  const others = $derived(
    rest
      .map((value, age) => ({ age, value }))
      .filter((point) => point.age >= firstAge && point.value !== null),
  );
  const highest = $derived(max(others, (point) => point.value ?? 0) ?? 0);
  const top = $derived(
    Math.max(highest, max(points, (point) => Math.max(point.value ?? 0, (point.high ?? 0) * 0.9)) ?? 0) || 1,
  );
  const dashed = $derived(
    line<(typeof others)[number]>(
      (point) => place(point.age),
      (point) => y(point.value ?? 0),
    )(others) ?? '',
  );
  const y = $derived(shareScale([height - BOTTOM, TOP], top, low !== undefined));
  const path = $derived(
    line<(typeof points)[number]>(
      (point) => place(point.age),
      (point) => y(point.value ?? 0),
    )(points) ?? '',
  );
  const band = $derived(
    area<(typeof points)[number]>()
      .defined((point) => point.low !== null)
      .x((point) => place(point.age))
      .y0((point) => y(point.low ?? 0))
      .y1((point) => Math.max(TOP - 6, y(point.high ?? 0)))(points) ?? '',
  );
  const step = $derived(Math.max(1, place(firstAge + 1) - place(firstAge)));
  const every = $derived([1, 2, 3, 6, 12, 24, 52].find((ages) => ages * step >= 28) ?? 52);
  const dot = $derived(step < 8 ? 1.4 : 2.5);
</script>

<figure class="shrink-0">
  <svg {width} {height} role="group" aria-label="{title}; the same figures stand in the table's first row">
    <text x="0" y="11" class="caption">{title}</text>
    {#each y.ticks(3) as tick (tick)}
      <line class="tick" x1={place(firstAge) - 14} x2={width} y1={y(tick)} y2={y(tick)} />
      <text class="label" x={place(firstAge) - 18} y={y(tick) + 4} text-anchor="end">{tell(tick)}</text>
    {/each}
    <path class="band" d={band} />
    {#if dashed}<path class="curve others" d={dashed}><title>the rest</title></path>{/if}
    <path class="curve" d={path} />
    {#each points as point (point.age)}
      <!-- the same action stands in the table for keyboards -->
      <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
      <g class="point" class:pointed={pointed === point.age} onclick={() => onopen(point.age)}>
        <circle class="reach" cx={place(point.age)} cy={y(point.value ?? 0)} r="7" />
        <circle cx={place(point.age)} cy={y(point.value ?? 0)} r={dot} />
        <title>{point.age}: {tell(point.value ?? 0)}</title>
      </g>
      {#if point.age % every === 0 || point.age === firstAge}
        <text class="label" x={place(point.age)} y={height - 3} text-anchor="middle">{point.age}</text>
      {/if}
    {/each}
  </svg>
</figure>

<style>
  .caption,
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
  .tick {
    stroke: var(--color-base-300);
  }
  .band {
    fill: var(--color-secondary);
    opacity: 0.16;
  }
  .curve {
    fill: none;
    stroke: var(--color-secondary);
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
    fill: var(--color-secondary);
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
