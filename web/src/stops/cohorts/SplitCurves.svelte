<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { bandPath, curvePath, pointsFrom } from '$src/charts/curve';
  import CurveNames from '$src/charts/CurveNames.svelte';
  import { DASHES, TONES, spread } from '$src/charts/lines';
  import { extentOf, valueScale } from '$src/charts/scales';
  import ValueAxis from '$src/charts/ValueAxis.svelte';
  import type { Schemas } from '$lib/api/client';
  import { onAxis } from '$lib/format/units';
  import { firstAge } from './gridLayout';

  interface Props {
    answer: Schemas['CohortsShape'];
    groups: Schemas['SplitGroupShape'][];
    width: number;
    height: number;
    age: number;
    onpoint: (age: number | null) => void;
    onopen: (group: string, age: number) => void;
  }
  let { answer, groups, width, height, age, onpoint, onopen }: Props = $props();

  const LEFT = 50;
  const RIGHT = 150;
  const TOP = 8;
  const BOTTOM = 18;
  const LABEL_HEIGHT = 15;
  /** A band is shown so far above its foot; wide ones must not flatten the curves. */
  const ABOVE_LOW = 1.4;
  const first = $derived(firstAge(answer));
  const x = $derived(scaleLinear([first, Math.max(first + 1, answer.ages_shown - 1)], [LEFT, width - RIGHT]));
  const lines = $derived(
    groups.map((group) => ({
      group,
      points: pointsFrom(first, group.values, group.low, group.high).filter(
        // an average over fewer customers is noise
        ({ at }) => (group.rests_on_customers[at] ?? 0) >= answer.small_below,
      ),
    })),
  );
  const y = $derived(
    valueScale(
      [height - BOTTOM, TOP],
      extentOf(
        lines.flatMap(({ points }) => points.flatMap(({ value, low }) => [value, (low ?? 0) * ABOVE_LOW])),
      ),
      answer.unit === 'share',
    ),
  );
  /** Names at the ends of the lines, pushed apart so that none lies on another. */
  const ends = $derived.by(() => {
    const wanted = lines
      .filter(({ points }) => points.length > 0)
      .map(({ group, points }) => ({
        label: group.label,
        at: groups.indexOf(group),
        y: y(points.at(-1)?.value ?? 0) + 4,
      }))
      .sort((one, other) => one.y - other.y);
    return spread(wanted, LABEL_HEIGHT, TOP, height - 4);
  });
  let lit = $state<string | null>(null);

  function ageOf(event: MouseEvent): number {
    const left = (event.currentTarget as SVGElement).getBoundingClientRect().left;
    return Math.max(first, Math.min(answer.ages_shown - 1, Math.round(x.invert(event.clientX - left))));
  }
</script>

<svg
  {width}
  {height}
  role="img"
  aria-label="Each group's average by age; the same figures stand in the table beside"
  onpointermove={(event) => onpoint(ageOf(event))}
  onpointerdown={(event) => onpoint(ageOf(event))}
  onpointerleave={() => onpoint(null)}
>
  <ValueAxis {y} from={LEFT} to={width - RIGHT} say={(value) => onAxis(value, answer.unit)} />
  {#each x.ticks(10).filter(Number.isInteger) as tick (tick)}
    <text class="label" x={x(tick)} y={height - 3} text-anchor="middle">{tick}</text>
  {/each}
  <line class="age" x1={x(age)} x2={x(age)} y1={TOP} y2={height - BOTTOM} />
  {#each lines as { group, points }, at (at)}
    {@const faint = lit !== null && lit !== group.label}
    <g class:faint>
      <path
        class="band tone-{TONES[at] ?? 8}"
        class:strong={lit === group.label}
        d={bandPath(points, x, y, TOP)}
      />
      <path
        class="curve stroke-{TONES[at] ?? 8}"
        stroke-dasharray={DASHES[at] ?? ''}
        d={curvePath(points, x, y)}
      />
    </g>
  {/each}
  <CurveNames
    {ends}
    x={width - RIGHT + 14}
    onlight={(label) => (lit = label)}
    onopen={(label) => onopen(label, age)}
  />
</svg>

<style>
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
  .age {
    stroke: var(--gold);
    stroke-width: 1.5;
  }
  .band {
    opacity: 0.1;
  }
  .band.strong {
    opacity: 0.3;
  }
  .faint {
    opacity: 0.35;
  }
  .curve {
    fill: none;
    stroke-width: 2;
  }
  .stroke-6 {
    stroke: var(--ramp-6);
  }
  .stroke-7 {
    stroke: var(--ramp-7);
  }
  .stroke-8 {
    stroke: var(--ramp-8);
  }
  .stroke-9 {
    stroke: var(--ramp-9);
  }
</style>
