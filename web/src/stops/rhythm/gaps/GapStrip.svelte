<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import { days, bars, type GapScale } from '../gaps';

  interface Props {
    group: Schemas['GapGroupShape'];
    edges: number[];
    longest: number;
    scale: GapScale;
    /** Days that the axis names. */
    ticks: number[];
    width: number;
    height: number;
    onopen: (shortest: number, longest: number) => void;
  }
  let { group, edges, longest, scale, ticks, width, height, onopen }: Props = $props();
  const middle = $derived(height / 2);
  const most = $derived(height - 8);
  const row = $derived(bars(group, edges, longest, scale));
  const statistics = $derived(group.statistics);
  const words = $derived(
    `${counted(statistics.gaps, 'gap')}, half of them ${days(statistics.lower_quartile)} to ` +
      `${days(statistics.upper_quartile)} days, median ${days(statistics.median)}`,
  );
</script>

<svg {width} {height} role="img" aria-label={words}>
  {#each ticks as tick (tick)}
    <line class="tick" x1={scale(tick)} x2={scale(tick)} y1="0" y2={height} />
  {/each}
  <line
    class="warp"
    x1={row[0]?.x ?? 0}
    x2={(row.at(-1)?.x ?? 0) + (row.at(-1)?.width ?? 0)}
    y1={middle}
    y2={middle}
  />
  {#each row as bar (bar.shortest)}
    {@const thick = Math.max(1.5, bar.thick * most)}
    <!-- the whole row is opened by its name; a bar is a closer look -->
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <g class="bar" onclick={() => onopen(bar.shortest, bar.longest)}>
      <rect class="reach" x={bar.x} y="0" width={bar.width} {height} />
      <rect
        class={bar.middle ? 'half' : 'outer'}
        x={bar.x + (bar.width > 3 ? 0.75 : 0)}
        y={middle - thick / 2}
        width={Math.max(0.8, bar.width - (bar.width > 3 ? 1.5 : 0))}
        height={thick}
        rx={Math.min(2, bar.width / 3)}
      />
      <title
        >{counted(bar.gaps, 'gap')} of {bar.shortest === bar.longest
          ? counted(bar.shortest, 'day')
          : `${bar.shortest} to ${counted(bar.longest, 'day')}`}</title
      >
    </g>
  {/each}
  <circle class="dot" cx={scale(statistics.median)} cy={middle} r="5" />
</svg>

<style>
  .tick {
    stroke: var(--color-base-300);
  }
  .warp {
    stroke: var(--ramp-4);
  }
  .bar {
    cursor: pointer;
  }
  .reach {
    fill: transparent;
  }
  .bar:hover .reach {
    fill: color-mix(in oklab, var(--color-base-content) 8%, transparent);
  }
  .half {
    fill: var(--ramp-6);
  }
  .outer {
    fill: var(--ramp-3);
  }
  .dot {
    fill: var(--color-base-100);
    stroke: var(--color-base-content);
    stroke-width: 2;
    pointer-events: none;
  }
</style>
