<script lang="ts">
  import { periodTick } from '$lib/format/dates';
  import NoteMark from '$src/written/NoteMark.svelte';
  import { pathOf, stack, type Series } from './columns';
  import ScrolledDrawing from './ScrolledDrawing.svelte';
  import ValueAxis from './ValueAxis.svelte';

  interface Props {
    label: string;
    periods: string[];
    series: Series[];
    width: number;
    height: number;
    shares?: boolean;
    /** The last so many periods are still running. */
    partial?: number;
    /** A mark on each column: the same period a year earlier. */
    before?: (number | null)[];
    events?: { place: number; labels: string[] }[];
    /** Which periods have notes. */
    isNoted?: (period: string) => boolean;
    say: (value: number) => string;
    pointed?: number | null;
    onpoint?: (place: number | null) => void;
    onopen?: (place: number, key: string) => void;
    /** A period was clicked at its name, under the columns. */
    onaxis?: ((place: number) => void) | undefined;
    /** What the largest column is measured by, when several charts share a scale. */
    most?: number;
    /** Bounds of whole columns that are watched. */
    targets?: number[];
  }
  let {
    label,
    periods,
    series,
    width,
    height,
    shares = false,
    partial = 0,
    before = [],
    events = [],
    isNoted = () => false,
    say,
    pointed = null,
    onpoint,
    onopen,
    onaxis,
    most = 0,
    targets = [],
  }: Props = $props();

  const LEFT = 56;
  const TOP = 18;
  const BOTTOM = 20;
  const NARROWEST = 3;
  const step = $derived(Math.max(NARROWEST, Math.min(64, (width - LEFT - 6) / Math.max(1, periods.length))));
  const wide = $derived(Math.max(width, LEFT + step * periods.length + 6));
  const floor = $derived(height - BOTTOM);
  const laid = $derived(
    stack(series, { step, top: TOP, bottom: floor, shares, most: Math.max(most, ...targets) }),
  );
  const y = $derived(laid.y);
  const boxes = $derived(laid.boxes);
  const labelEvery = $derived(Math.max(1, Math.ceil(58 / step)));
  const hatchId = $props.id();

  function placeOf(event: MouseEvent): number | null {
    const left = (event.currentTarget as SVGElement).getBoundingClientRect().left;
    const place = Math.floor((event.clientX - left - LEFT) / step);
    return place >= 0 && place < periods.length ? place : null;
  }

  function opened(event: MouseEvent): void {
    const place = placeOf(event);
    const top = event.clientY - (event.currentTarget as SVGElement).getBoundingClientRect().top;
    if (place === null) return;
    if (onaxis && top > floor) {
      onaxis(place);
      return;
    }
    if (!onopen) return;
    // the part that is drawn last lies on top
    const hit = [...series.keys()].reverse().find((at) => {
      const box = boxes[at]?.[place];
      return box && top >= box.y && top <= box.y + box.height;
    });
    onopen(place, hit === undefined ? 'all' : (series[hit]?.key ?? 'all'));
  }
</script>

<ScrolledDrawing {label} {width} {wide}>
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <svg
    width={wide}
    {height}
    role="img"
    aria-label={label}
    class:cursor-pointer={onopen !== undefined}
    onpointermove={(event) => onpoint?.(placeOf(event))}
    onpointerdown={(event) => onpoint?.(placeOf(event))}
    onpointerleave={() => onpoint?.(null)}
    onclick={opened}
  >
    <defs>
      <pattern id={hatchId} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line class="hatch" x1="0" y1="0" x2="0" y2="5" />
      </pattern>
    </defs>
    <ValueAxis {y} from={LEFT} to={wide} ticks={height > 160 ? 4 : 2} {say} />
    <g transform="translate({LEFT} 0)">
      {#each events as event (event.place)}
        <g>
          <rect class="event" x={event.place * step} y={TOP - 8} width={step} height={floor - TOP + 8}>
            <title>{event.labels.join(', ')}</title>
          </rect>
          <text class="mark" x={(event.place + 0.5) * step} y={TOP - 6} text-anchor="middle">◦</text>
        </g>
      {/each}
      {#if pointed !== null}
        <rect class="pointed" x={pointed * step} y={TOP - 8} width={step} height={floor - TOP + 8} />
      {/if}
      {#each series as each, at (each.key)}
        <path class="tone-{each.tone}" d={pathOf(boxes[at] ?? [])} />
        {#if each.hatched}<path fill="url(#{hatchId})" d={pathOf(boxes[at] ?? [])} />{/if}
      {/each}
      {#each before as value, at (at)}
        {#if value !== null}
          <line class="before" x1={at * step} x2={(at + 1) * step} y1={y(value)} y2={y(value)} />
        {/if}
      {/each}
      {#each targets as target, at (at)}
        <line class="target" x1="0" x2={step * periods.length} y1={y(target)} y2={y(target)} />
        <text class="bound" x="4" y={y(target) - 4}>target {say(target)}</text>
      {/each}
      {#if partial > 0}
        <rect
          class="running"
          x={(periods.length - partial) * step}
          y={TOP - 8}
          width={partial * step}
          height={floor - TOP + 8}
        />
      {/if}
      {#each periods as period, at (period)}
        {#if isNoted(period)}<NoteMark at={{ x: (at + 1) * step, y: TOP - 8 }} />{/if}
        {#if periodTick(period, at, labelEvery)}
          <text class="label" x={(at + 0.5) * step} y={height - 5} text-anchor="middle"
            >{periodTick(period, at, labelEvery)}</text
          >
        {/if}
      {/each}
    </g>
  </svg>
</ScrolledDrawing>

<style>
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
  .hatch {
    stroke: var(--hatch);
    stroke-width: 3;
  }
  .event {
    fill: var(--gold);
    opacity: 0.13;
  }
  .mark {
    fill: var(--gold);
    font-weight: 700;
  }
  .pointed {
    fill: var(--color-base-content);
    opacity: 0.08;
  }
  .before {
    stroke: var(--color-base-content);
    stroke-width: 2;
  }
  .target {
    stroke: var(--color-error);
    stroke-dasharray: 4 3;
  }
  .bound {
    fill: var(--color-error);
    font-size: 12.5px;
    paint-order: stroke;
    stroke: var(--color-base-200);
    stroke-width: 3px;
  }
  .running {
    fill: none;
    stroke: var(--color-neutral);
    stroke-dasharray: 3 3;
  }
</style>
