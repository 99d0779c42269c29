<script lang="ts">
  import type { ValueScale } from './scales';

  interface Props {
    y: ValueScale;
    /** Where lines begin and end, in pixels. */
    from: number;
    to: number;
    ticks?: number;
    say: (value: number) => string;
  }
  let { y, from, to, ticks = 3, say }: Props = $props();
  const places = $derived(y.ticks(ticks));
  const below = $derived((y.domain()[0] ?? 0) < 0);
</script>

<g aria-hidden="true">
  {#each places as tick (tick)}
    <line class="tick" class:zero={below && tick === 0} x1={from} x2={to} y1={y(tick)} y2={y(tick)} />
    <text x={from - 6} y={y(tick) + 4} text-anchor="end">{say(tick)}</text>
  {/each}
</g>

<style>
  .tick {
    stroke: var(--color-base-300);
  }
  .zero {
    stroke: var(--color-base-content);
  }
  text {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
</style>
