<script lang="ts">
  import { date, isoOf } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import type { Axis, Scale } from './largeThread';
  import { dayTicks } from './smallThread';

  interface Props {
    scale: Scale;
    axis: Axis;
    width: number;
    y: number;
    /** The day of the first order. */
    origin: number;
  }
  let { scale, axis, width, y, origin }: Props = $props();
  const SHORT_DAYS = 100;
  const ticks = $derived.by(() => {
    const [first = 0, last = 1] = scale.domain();
    if (axis === 'elapsed')
      return scale
        .copy()
        .domain([first - origin, last - origin])
        .ticks(Math.max(2, width / 110))
        .filter((day) => day >= 0)
        .map((day) => ({ day, x: scale(day + origin), label: `${count(day)} d` }));
    if (last - first < SHORT_DAYS)
      return scale
        .ticks(Math.max(2, width / 130))
        .map((day) => ({ day, x: scale(day), label: date(isoOf(day)) }));
    return dayTicks(scale, width);
  });
</script>

<g aria-hidden="true">
  {#each ticks as tick (tick.day)}
    <line x1={tick.x} x2={tick.x} y1={y} y2={y + 5} />
    <text x={tick.x} y={y + 20} text-anchor="middle">{tick.label}</text>
  {/each}
</g>

<style>
  line {
    stroke: var(--color-neutral);
    opacity: 0.5;
  }
  text {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
</style>
