<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { line } from 'd3-shape';

  /** A figure's course, small, with its bound as a line. */
  let { course, bound, words }: { course: (number | null)[]; bound: number; words: string } = $props();
  const WIDTH = 220;
  const HEIGHT = 36;
  const EDGE = 4;
  const known = $derived([bound, ...course.filter((each) => each !== null)]);
  const across = $derived(scaleLinear([0, Math.max(1, course.length - 1)], [EDGE, WIDTH - EDGE]));
  const up = $derived(scaleLinear([Math.min(0, ...known), Math.max(...known) || 1], [HEIGHT - EDGE, EDGE]));
  const drawn = $derived(
    line<number | null>(
      (_, place) => across(place),
      (value) => up(value ?? 0),
    ).defined((value) => value !== null)(course) ?? '',
  );
  const last = $derived(course.at(-1));
</script>

<svg viewBox="0 0 {WIDTH} {HEIGHT}" class="my-1 block h-9 w-full max-w-56" role="img" aria-label={words}>
  <path d={drawn} fill="none" stroke="currentColor" stroke-width="1.6" />
  <line
    x1="0"
    x2={WIDTH}
    y1={up(bound)}
    y2={up(bound)}
    stroke="var(--color-error)"
    stroke-width="1"
    stroke-dasharray="3 3"
  />
  {#if last !== null && last !== undefined}
    <circle cx={across(course.length - 1)} cy={up(last)} r="3" fill="currentColor" />
  {/if}
</svg>
