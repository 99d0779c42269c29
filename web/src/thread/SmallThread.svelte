<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date, dayNumber, span } from '$lib/format/dates';
  import { counted, money } from '$lib/format/figures';
  import { THREAD_HEIGHT, knotRadius, type TimeScale } from './smallThread';

  interface Props {
    thread: Schemas['ThreadShape'];
    scale: TimeScale;
    width: number;
    /** What a large order of the book comes to. */
    large: string;
    /** No order stands out, so none is ringed. */
    plain?: boolean;
  }
  let { thread, scale, width, large, plain = false }: Props = $props();

  /** In a drawing narrower than this knots stand so close that they are drawn smaller. */
  const CLOSE = 150;
  const middle = THREAD_HEIGHT / 2;
  const knots = $derived(thread.knots);
  const first = $derived(knots[0]);
  const latest = $derived(knots.at(-1));
  const placed = $derived(
    knots.map((knot) => ({
      ...knot,
      x: scale(dayNumber(knot.date)),
      r: knotRadius(knot.amount, large) * (width < CLOSE ? 0.6 : 1),
    })),
  );
  const words = $derived(
    first && latest
      ? `${counted(thread.orders, 'order')}, first ${date(first.date)}, latest ${date(latest.until)}${plain ? '' : `; ${thread.inside} counted here`}`
      : 'no order',
  );
</script>

<svg {width} height={THREAD_HEIGHT} role="img" aria-label={words}>
  {#if first && latest}
    {@const end = scale(dayNumber(latest.until))}
    <line class="tail" x1={end} x2={width - 2} y1={middle} y2={middle} />
    <line class="line" x1={scale(dayNumber(first.date))} x2={end} y1={middle} y2={middle} />
    {#each placed as knot (knot.rank)}
      <circle
        cx={knot.x}
        cy={middle}
        r={knot.rank === 1 ? Math.max(knot.r, 2.8) : knot.r}
        class:first={knot.rank === 1}
        class:inside={knot.inside && !plain}
        class:plain
      >
        <title
          >{span(knot.date, knot.until)}, {knot.orders > 1 ? `${counted(knot.orders, 'order')}, ` : ''}{money(
            knot.amount,
          )}{knot.inside && !plain ? ', counted here' : ''}</title
        >
      </circle>
    {/each}
  {/if}
</svg>

<style>
  .line {
    stroke: var(--gold);
    stroke-width: 1.5;
  }
  .tail {
    stroke: var(--gold);
    stroke-width: 1.5;
    stroke-dasharray: 1.5 4;
    stroke-linecap: round;
  }
  circle {
    fill: var(--gold-pale);
    stroke: var(--color-base-100);
    stroke-width: 0.75;
  }
  circle.plain {
    fill: var(--gold);
  }
  circle.inside {
    fill: var(--gold);
    stroke: var(--color-base-content);
    stroke-width: 1.25;
  }
  circle.first {
    fill: var(--color-base-100);
    stroke: var(--gold);
    stroke-width: 1.75;
  }
  circle.first.inside {
    stroke: var(--color-base-content);
  }
</style>
