<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import type { Length } from './made';

  interface Props {
    width: number;
    height: number;
    before: number;
    after: number;
    drawn: Length[];
    pointed: number | null;
    say: (value: number) => string;
    apart: (value: number) => string;
    onpoint: (at: number | null) => void;
    onopen: (range: string, group?: string) => void;
  }
  let { width, height, before, after, drawn, pointed, say, apart, onpoint, onopen }: Props = $props();

  const NAMES = 190;
  const FIGURES = 120;
  const TOP = 8;
  const HIGHEST = 46;
  const rows = $derived(drawn.length + 2);
  const step = $derived(Math.min(HIGHEST, (height - TOP) / rows));
  const ends = $derived(drawn.flatMap(({ from, to }) => [from, to]).concat(before, after));
  const x = $derived(scaleLinear([Math.min(...ends), Math.max(...ends)], [NAMES, width - FIGURES]));
  const middle = (row: number) => TOP + step * (row + 0.5);
  const dot = $derived(Math.min(7, step / 3));
  const thick = $derived(Math.min(14, step / 2));
</script>

{#snippet end(row: number, name: string, range: string, value: number)}
  <!-- the same figures stand in the table, where they are opened by keys -->
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
  <g class="opens" onclick={() => onopen(range)}>
    <text class="name strong" x="0" y={middle(row) + 4.5}>{name}</text>
    <circle cx={x(value)} cy={middle(row)} r={dot} class="end" />
    <text class="strong" x={x(value) + dot + 6} y={middle(row) + 4.5}>{say(value)}</text>
  </g>
{/snippet}

<svg
  {width}
  {height}
  role="img"
  aria-label="What made the difference, part by part"
  onpointerleave={() => onpoint(null)}
>
  <path
    class="thread"
    d="M{x(before)},{middle(0)}{drawn
      .map(({ from, to }, at) => `V${middle(at + 1)}M${x(from)},${middle(at + 1)}H${x(to)}`)
      .join('')}V{middle(rows - 1)}"
  />
  {@render end(0, 'before', 'before', before)}
  {#each drawn as length, at (at)}
    {@const [left, right] = [Math.min(length.from, length.to), Math.max(length.from, length.to)]}
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <g
      class="opens"
      class:faint={pointed !== null && pointed !== at}
      onpointerenter={() => onpoint(at)}
      onclick={() => onopen('after', length.group)}
    >
      <rect x="0" y={middle(at + 1) - step / 2} {width} height={step} fill="transparent" />
      <text class="name" class:strong={length.stands_out} x="0" y={middle(at + 1) + 4.5}
        ><title>{length.name}</title>{length.name.length > 24
          ? `${length.name.slice(0, 23)}…`
          : length.name}</text
      >
      <rect
        class={length.part < 0 ? 'loss' : 'gain'}
        x={x(left)}
        y={middle(at + 1) - thick / 2}
        width={Math.max(2, x(right) - x(left))}
        height={thick}
        rx={thick / 2}
      />
      <text x={x(right) + 8} y={middle(at + 1) + 4.5}>{apart(length.part)}</text>
    </g>
  {/each}
  {@render end(rows - 1, 'after', 'after', after)}
</svg>

<style>
  text {
    fill: var(--color-base-content);
    font-size: 14px;
  }
  .strong {
    font-weight: 600;
  }
  .opens {
    cursor: pointer;
  }
  .faint {
    opacity: 0.55;
  }
  .thread {
    fill: none;
    stroke: var(--gold);
    stroke-width: 1.5;
    stroke-dasharray: 2 3;
  }
  .end {
    fill: var(--gold);
  }
  .gain {
    fill: var(--ramp-6);
  }
  .loss {
    fill: var(--below-3);
  }
</style>
