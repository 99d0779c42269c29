<script lang="ts" module>
  export interface CurveEnd {
    label: string;
    /** The place of the curve among all, which gives its tone and its dashes. */
    at: number;
    y: number;
  }
</script>

<script lang="ts">
  import { DASHES, TONES } from './lines';

  /** Names at the ends of curves, each after a piece of its line. */
  interface Props {
    ends: CurveEnd[];
    x: number;
    onlight: (label: string | null) => void;
    onopen?: (label: string) => void;
  }
  let { ends, x, onlight, onopen }: Props = $props();
  const LONGEST = 16;
</script>

{#each ends as { label, at, y }, place (place)}
  <!-- the same is opened from a table -->
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
  <g
    class:opens={onopen}
    onpointerover={() => onlight(label)}
    onpointerout={() => onlight(null)}
    onclick={() => onopen?.(label)}
  >
    <line
      style:stroke="var(--ramp-{TONES[at] ?? 8})"
      stroke-dasharray={DASHES[at] ?? ''}
      x1={x}
      x2={x + 22}
      y1={y - 4}
      y2={y - 4}
    />
    <text x={x + 27} {y}
      ><title>{label}</title>{label.length > LONGEST ? `${label.slice(0, LONGEST - 1)}…` : label}</text
    >
  </g>
{/each}

<style>
  .opens {
    cursor: pointer;
  }
  line {
    stroke-width: 2;
  }
  text {
    fill: var(--color-base-content);
    font-size: 13px;
  }
</style>
