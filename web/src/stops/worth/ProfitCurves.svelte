<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { bandPath, curvePath, type CurvePoint } from '$src/charts/curve';
  import CurveNames from '$src/charts/CurveNames.svelte';
  import CurveNote from '$src/charts/CurveNote.svelte';
  import { DASHES, TONES, spread } from '$src/charts/lines';
  import { extentOf, valueScale } from '$src/charts/scales';
  import ValueAxis from '$src/charts/ValueAxis.svelte';
  import { onAxis } from '$lib/format/units';
  import { ageTicks, type Drawn } from './curves';

  interface Props {
    label: string;
    curves: Drawn[];
    /** What an age is counted in, and whether each begins with what winning a customer cost. */
    unit: string;
    starts: boolean;
    /** Where the main curve crosses zero, in words at the place. */
    crossing?: { age: number; words: string } | null;
    width: number;
    height: number;
    pointed: number | null;
    onpoint: (age: number | null) => void;
  }
  let { label, curves, unit, starts, crossing = null, width, height, pointed, onpoint }: Props = $props();

  const LEFT = 62;
  const TOP = 14;
  const BOTTOM = 40;
  const LABEL = 16;
  const START = -1;
  /** Round ends of the scale, but none so far below zero that nothing stands there. */
  const NICE = 12;
  const named = $derived(curves.filter((curve) => !curve.faint));
  const right = $derived(named.length > 1 ? 158 : 24);
  const first = $derived(starts ? START : 0);
  const last = $derived(Math.max(1, ...curves.map((curve) => curve.profit.length - 1)));
  const x = $derived(scaleLinear([first, last], [LEFT, width - right]));
  const lines = $derived(
    curves.map((curve, at) => ({
      curve,
      at: named.indexOf(curve) < 0 ? at : named.indexOf(curve),
      points: pointsOf(curve),
    })),
  );
  const y = $derived(
    valueScale(
      [height - BOTTOM, TOP],
      extentOf(
        lines.flatMap(({ points }) =>
          points.flatMap(({ value, low, high }) => [value, low ?? value, high ?? value]),
        ),
      ),
      false,
      NICE,
    ),
  );
  const ticks = $derived(ageTicks(last));
  const ends = $derived(
    named.length > 1
      ? spread(
          lines
            .filter(({ curve }) => !curve.faint)
            .map(({ curve, at, points }) => ({ label: curve.name, at, y: y(points.at(-1)?.value ?? 0) + 4 }))
            .sort((one, other) => one.y - other.y),
          LABEL,
          TOP,
          height - BOTTOM,
        )
      : [],
  );
  let lit = $state<string | null>(null);

  function pointsOf(curve: Drawn): CurvePoint[] {
    const begins: CurvePoint[] =
      starts && curve.start !== null ? [{ at: START, value: curve.start, low: null, high: null }] : [];
    const rest = curve.profit.flatMap((value, at): CurvePoint[] =>
      value === null ? [] : [{ at, value, low: curve.low[at] ?? null, high: curve.high[at] ?? null }],
    );
    return rest.length > 0 ? [...begins, ...rest] : [];
  }

  /** The ages that are over. */
  const over = (curve: Drawn, points: CurvePoint[]) => points.filter((point) => point.at < curve.complete);
  /** The age that still runs, joined to the last one that is over. */
  const running = (curve: Drawn, points: CurvePoint[]) =>
    curve.profit.length > curve.complete ? points.filter((point) => point.at >= curve.complete - 1) : [];

  function ageAt(event: MouseEvent): number {
    const left = (event.currentTarget as SVGElement).getBoundingClientRect().left;
    return Math.min(last, Math.max(0, Math.round(x.invert(event.clientX - left))));
  }

  /** The curve nearest to where somebody clicked. */
  function opened(event: MouseEvent): void {
    const age = ageAt(event);
    const top = event.clientY - (event.currentTarget as SVGElement).getBoundingClientRect().top;
    const away = (curve: Drawn) => Math.abs(y(curve.profit[age] ?? NaN) - top);
    const there = curves.filter((curve) => curve.open && (curve.profit[age] ?? null) !== null);
    const near = there.sort((one, other) => away(one) - away(other))[0];
    near?.open?.(age);
  }
</script>

<!-- the same figures stand in the table, where they are opened by keys -->
<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<svg
  {width}
  {height}
  role="img"
  aria-label={label}
  class="cursor-pointer"
  onpointermove={(event) => onpoint(ageAt(event))}
  onpointerdown={(event) => onpoint(ageAt(event))}
  onpointerleave={() => onpoint(null)}
  onclick={opened}
>
  <ValueAxis {y} from={LEFT} to={width - right} ticks={4} say={(value) => onAxis(value, 'money')} />
  {#each lines as { curve, at, points }, place (place)}
    <g class:pale={lit !== null && lit !== curve.name} class:main={curve.main} class:faint={curve.faint}>
      {#if curve.low.length > 0}<path class="band" d={bandPath(points, x, y, TOP)} />{/if}
      <path
        class="curve"
        style:stroke={curve.faint ? undefined : `var(--ramp-${TONES[at] ?? 8})`}
        stroke-dasharray={curve.dashed ? '3 4' : curve.faint ? '' : (DASHES[at] ?? '')}
        d={curvePath(over(curve, points), x, y)}><title>{curve.name}</title></path
      >
      <path class="running" d={curvePath(running(curve, points), x, y)} />
    </g>
  {/each}
  {#if crossing}
    <circle class="crossing" cx={x(crossing.age)} cy={y(0)} r="6" />
    <CurveNote x={x(crossing.age) + 12} y={y(0) + 20} words={crossing.words} />
  {/if}
  {#if pointed !== null}
    <line class="pointed" x1={x(pointed)} x2={x(pointed)} y1={TOP} y2={height - BOTTOM} />
  {/if}
  <CurveNames {ends} x={width - right + 10} onlight={(name) => (lit = name)} />
  {#if starts}<text class="label" x={x(START)} y={height - BOTTOM + 18} text-anchor="end">won</text>{/if}
  {#each ticks as tick (tick)}
    <text class="label" x={x(tick)} y={height - BOTTOM + 18} text-anchor="middle">{tick}</text>
  {/each}
  <text class="label" x={(LEFT + width - right) / 2} y={height - 6} text-anchor="middle">{unit}</text>
</svg>

<style>
  .curve {
    fill: none;
    stroke-width: 2;
  }
  .faint .curve {
    stroke: var(--ramp-5);
    stroke-width: 1;
    opacity: 0.75;
  }
  .running {
    fill: none;
    stroke: var(--ramp-5);
    stroke-width: 1.25;
    stroke-dasharray: 1 3;
  }
  .main .curve {
    stroke-width: 3;
  }
  .band {
    fill: var(--ramp-4);
    opacity: 0.5;
  }
  .pale {
    opacity: 0.25;
  }
  .crossing {
    fill: var(--color-base-100);
    stroke: var(--gold);
    stroke-width: 3;
  }
  .pointed {
    stroke: var(--gold);
    stroke-width: 1.5;
  }
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
</style>
