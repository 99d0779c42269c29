<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { curvePath } from '$src/charts/curve';
  import { extentOf, valueScale } from '$src/charts/scales';

  /** A small picture beside a paragraph: it says nothing that the words and the stop do not say in full. */
  interface Props {
    topic: Schemas['Topic'];
    pictures: Schemas['PicturesShape'];
  }
  let { topic, pictures }: Props = $props();

  const WIDTH = 156;
  const HEIGHT = 56;
  const LEVELS = 10;
  /** Days that the thread is long. */
  const DAYS = 180;
  const STANDING_TONES = [6, 3, 1, 0];

  const most = $derived(Math.max(1, ...pictures.months));
  const step = $derived(WIDTH / pictures.months.length);
  const columns = $derived(Math.max(1, ...pictures.retention.map((row) => row.length)));
  const cellHeight = $derived(HEIGHT / Math.max(1, pictures.retention.length));
  const whole = $derived(
    Math.max(
      1,
      pictures.standings.reduce((sum, each) => sum + each, 0),
    ),
  );
  const starts = $derived(
    pictures.standings.map((_, at) => pictures.standings.slice(0, at).reduce((sum, each) => sum + each, 0)),
  );
  const half = $derived(Math.min(1, (pictures.half_by ?? DAYS) / DAYS));
  const profit = $derived(
    pictures.profit.flatMap((value, at) => (value === null ? [] : [{ at, value, low: null, high: null }])),
  );
  const y = $derived(valueScale([HEIGHT - 4, 6], extentOf(pictures.profit), false, 10));
  const x = (at: number) => 2 + (at * (WIDTH - 4)) / Math.max(1, pictures.profit.length - 1);
</script>

<svg width={WIDTH} height={HEIGHT} aria-hidden="true" class="shrink-0">
  {#if topic === 'orders'}
    {#each pictures.months as orders, at (at)}
      <rect
        x={at * step}
        y={HEIGHT - (HEIGHT * orders) / most}
        width={step - 2}
        height={(HEIGHT * orders) / most}
        fill="var(--ramp-{at === pictures.months.length - 1 ? 8 : 4})"
      />
    {/each}
  {:else if topic === 'cohorts'}
    {#each pictures.retention as row, at (at)}
      {#each row as share, age (age)}
        {#if share !== null}
          <rect
            x={(age * WIDTH) / columns}
            y={at * cellHeight}
            width={WIDTH / columns - 1}
            height={cellHeight - 1}
            fill="var(--ramp-{Math.min(LEVELS - 1, Math.floor(share * LEVELS))})"
          />
        {/if}
      {/each}
    {/each}
  {:else if topic === 'rhythm'}
    <line class="thread" x1="8" x2={8 + half * (WIDTH - 40)} y1={HEIGHT / 2} y2={HEIGHT / 2} />
    <line class="thread open" x1={8 + half * (WIDTH - 40)} x2={WIDTH} y1={HEIGHT / 2} y2={HEIGHT / 2} />
    <circle class="knot first" cx="8" cy={HEIGHT / 2} r="5" />
    {#if pictures.half_by !== null}
      <circle class="knot" cx={8 + half * (WIDTH - 40)} cy={HEIGHT / 2} r="6" />
    {/if}
  {:else if topic === 'standing'}
    {#each pictures.standings as count, at (at)}
      <rect
        x={(WIDTH * (starts[at] ?? 0)) / whole}
        y="14"
        width={Math.max(0, (WIDTH * count) / whole - 1)}
        height="28"
        fill="var(--ramp-{STANDING_TONES[at] ?? 0})"
      />
    {/each}
  {:else}
    <line class="zero" x1="0" x2={WIDTH} y1={y(0)} y2={y(0)} />
    <path class="curve" d={curvePath(profit, x, y)} />
  {/if}
</svg>

<style>
  .thread {
    stroke: var(--gold);
    stroke-width: 2.5;
  }
  .thread.open {
    stroke-dasharray: 2 4;
  }
  .knot {
    fill: var(--gold);
  }
  .knot.first {
    fill: var(--color-base-200);
    stroke: var(--gold);
    stroke-width: 2;
  }
  .zero {
    stroke: var(--color-neutral);
  }
  .curve {
    fill: none;
    stroke: var(--ramp-8);
    stroke-width: 2.5;
  }
</style>
