<script lang="ts">
  import { rounded } from '$lib/format/figures';
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
  const LETTER = 7;
  const PADDING = 6;
  /** In full where there is room for it, else roughly; a line that would say what the one before says, says nothing. */
  const places = $derived.by(() => {
    const all = y.ticks(ticks).map((tick) => ({ tick, words: say(tick) }));
    const isLong = all.some(({ words }) => words.length * LETTER > from - PADDING);
    const said = all.map(({ tick, words }) => ({ tick, words: isLong ? rounded(tick) : words }));
    return said.map(({ tick, words }, at) => ({ tick, words: words === said[at - 1]?.words ? '' : words }));
  });
  const below = $derived((y.domain()[0] ?? 0) < 0);
</script>

<g aria-hidden="true">
  {#each places as { tick, words } (tick)}
    <line class="tick" class:zero={below && tick === 0} x1={from} x2={to} y1={y(tick)} y2={y(tick)} />
    <text x={from - PADDING} y={y(tick) + 4} text-anchor="end">{words}</text>
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
