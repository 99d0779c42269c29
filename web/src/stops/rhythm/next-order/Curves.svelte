<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { count, percent } from '$lib/format/figures';
  import { bandPath, curvePath, type CurvePoint } from '$src/charts/curve';
  import { dayTicks } from '$src/charts/days';
  import CurveNames from '$src/charts/CurveNames.svelte';
  import CurveNote from '$src/charts/CurveNote.svelte';
  import { DASHES, TONES, spread } from '$src/charts/lines';
  import { valueScale } from '$src/charts/scales';
  import ValueAxis from '$src/charts/ValueAxis.svelte';
  import { halfWords, placeOf, shareWords, type NextOrder } from './curves';

  interface Props {
    answer: NextOrder;
    width: number;
    height: number;
    pointed: number | null;
    onpoint: (place: number | null) => void;
    onopen: (day: number, group: string) => void;
  }
  let { answer, width, height, pointed, onpoint, onopen }: Props = $props();

  const LEFT = 62;
  const TOP = 12;
  const LINE = 17;
  const LABEL = 16;
  const MONTH = 30;
  const curves = $derived(answer.curves);
  const single = $derived(curves.length === 1);
  const right = $derived(single ? 24 : 158);
  const bottom = $derived(24 + LINE * (curves.length + 1));
  const last = $derived(answer.ages.at(-1) ?? 1);
  const x = $derived(scaleLinear([0, Math.max(1, last)], [LEFT, width - right]));
  const y = $derived(valueScale([height - bottom, TOP], { lowest: 0, highest: 1 }, true, 4));
  const ticks = $derived(dayTicks(last));
  const lines = $derived(
    curves.map((curve, at) => ({
      curve,
      at,
      points: curve.share.flatMap((value, place): CurvePoint[] =>
        value === null
          ? []
          : [
              {
                at: answer.ages[place] ?? 0,
                value,
                low: curve.low[place] ?? null,
                high: curve.high[place] ?? null,
              },
            ],
      ),
    })),
  );
  const ends = $derived(
    single
      ? []
      : spread(
          lines
            .map(({ curve, at, points }) => ({ label: curve.label, at, y: y(points.at(-1)?.value ?? 0) + 4 }))
            .sort((one, other) => one.y - other.y),
          LABEL,
          TOP,
          height - bottom,
        ),
  );
  const half = $derived(single ? curves[0]?.half_by : null);
  let lit = $state<string | null>(null);

  function placeAt(event: MouseEvent): number {
    const left = (event.currentTarget as SVGElement).getBoundingClientRect().left;
    return placeOf(answer.ages, x.invert(event.clientX - left));
  }

  /** The curve nearest to where somebody clicked. */
  function opened(event: MouseEvent): void {
    const place = placeAt(event);
    const top = event.clientY - (event.currentTarget as SVGElement).getBoundingClientRect().top;
    const near = [...curves].sort(
      (one, other) => Math.abs(y(one.share[place] ?? 0) - top) - Math.abs(y(other.share[place] ?? 0) - top),
    )[0];
    if (near) onopen(answer.ages[place] ?? 0, near.label);
  }
</script>

<!-- the same figures stand in the table, where they are opened by keys -->
<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<svg
  {width}
  {height}
  role="img"
  aria-label="Share who have ordered again, by days since the order"
  class="cursor-pointer"
  onpointermove={(event) => onpoint(placeAt(event))}
  onpointerdown={(event) => onpoint(placeAt(event))}
  onpointerleave={() => onpoint(null)}
  onclick={opened}
>
  <ValueAxis {y} from={LEFT} to={width - right} ticks={4} say={(value) => `${percent(value)} %`} />
  {#each lines as { curve, at, points }, place (place)}
    {@const faint = lit !== null && lit !== curve.label}
    <g class:faint>
      <path class="band" class:alone={single} d={bandPath(points, x, y, TOP, true)} />
      <path
        class="curve"
        style:stroke="var(--ramp-{TONES[at] ?? 8})"
        stroke-dasharray={DASHES[at] ?? ''}
        d={curvePath(points, x, y, true)}
      />
    </g>
  {/each}
  {#if half !== null && half !== undefined && curves[0]}
    <path class="half" d="M{LEFT},{y(0.5)}H{x(half)}V{y(0)}" />
    <CurveNote x={x(half) + 10} y={y(0.5) + 22} words={halfWords(curves[0])} />
    {#if last >= MONTH}
      <text class="label" x={x(half) + 10} y={y(0.5) + 40}
        >{shareWords(answer, curves[0], placeOf(answer.ages, MONTH))}</text
      >
    {/if}
  {/if}
  {#if pointed !== null}
    <line
      class="pointed"
      x1={x(answer.ages[pointed] ?? 0)}
      x2={x(answer.ages[pointed] ?? 0)}
      y1={TOP}
      y2={y(0)}
    />
  {/if}
  <CurveNames {ends} x={width - right + 10} onlight={(label) => (lit = label)} />
  <text class="label" x="0" y={height - bottom + 18}>days</text>
  {#each ticks as tick (tick)}
    <text class="label" x={x(tick)} y={height - bottom + 18} text-anchor="middle">{tick}</text>
  {/each}
  {#each curves as curve, at (at)}
    {@const line = height - bottom + 20 + LINE * (at + 1)}
    <text class="label" x="0" y={line}
      ><title>{curve.label}: still waiting</title>{single
        ? 'waiting'
        : curve.label.length > 8
          ? `${curve.label.slice(0, 7)}…`
          : curve.label}</text
    >
    {#each ticks as tick (tick)}
      <text class="label" x={x(tick)} y={line} text-anchor="middle"
        >{count(curve.waiting[placeOf(answer.ages, tick)] ?? 0)}</text
      >
    {/each}
  {/each}
</svg>

<style>
  .curve {
    fill: none;
    stroke-width: 2.25;
  }
  .band {
    fill: var(--ramp-4);
    opacity: 0.22;
  }
  .band.alone {
    opacity: 0.5;
  }
  .faint {
    opacity: 0.3;
  }
  .half {
    fill: none;
    stroke: var(--gold);
    stroke-width: 1.5;
    stroke-dasharray: 2 3;
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
