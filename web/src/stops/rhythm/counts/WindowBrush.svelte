<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date, dayNumber, isoOf, monthOf } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import { dayAt, dayScale, moved, steppedDay, type End } from './brush';
  import type { Dates } from './liveWindow.svelte';

  interface Props {
    months: Schemas['MonthOrdersShape'][];
    events: Schemas['EventShape'][];
    asOf: string;
    window: Dates;
    width: number;
    /** While it is dragged, when it was let go, and at every key. */
    onmove: (dates: Dates) => void;
    onset: (dates: Dates) => void;
    onstep: (dates: Dates) => void;
  }
  let { months, events, asOf, window: shown, width, onmove, onset, onstep }: Props = $props();

  const HEIGHT = 80;
  const FLOOR = 62;
  const ROOF = 13;
  const SIDE = 8;
  const id = $props.id();
  const inner = $derived(Math.max(40, width - 2 * SIDE));
  const starts = $derived(months.map((month) => dayNumber(month.first_date)));
  const first = $derived(starts[0] ?? dayNumber(asOf));
  const last = $derived(Math.max(first, dayNumber(asOf)));
  const x = $derived(dayScale(first, last, inner));
  const most = $derived(Math.max(1, ...months.map((month) => month.orders)));
  const from = $derived(Math.min(last, Math.max(first, dayNumber(shown.from))));
  const to = $derived(Math.min(last, Math.max(from, dayNumber(shown.to))));
  const years = $derived(
    months
      .filter(({ month }, at) => month.endsWith('-01') || at === 0)
      .map(({ month, first_date }) => ({
        year: month.slice(0, 4),
        at: x(dayNumber(first_date)),
      })),
  );
  let svg = $state<SVGSVGElement>();
  let held: { end: End | 'both'; x: number; from: number; to: number } | undefined;

  const placeOf = (event: PointerEvent) => event.clientX - (svg?.getBoundingClientRect().left ?? 0) - SIDE;
  const dates = (begin: number, end: number): Dates => ({ from: isoOf(begin), to: isoOf(end) });

  function down(event: PointerEvent): void {
    if (event.button !== 0 || !svg) return;
    const at = placeOf(event);
    const [left, right] = [x(from), x(to + 1)];
    const nearest = Math.abs(at - left) <= Math.abs(at - right) ? 'from' : 'to';
    const isHandle = Math.min(Math.abs(at - left), Math.abs(at - right)) <= 12;
    held = { end: isHandle ? nearest : at > left && at < right ? 'both' : nearest, x: at, from, to };
    svg.setPointerCapture(event.pointerId);
    move(event);
  }

  function placed(event: PointerEvent): Dates | undefined {
    if (!held) return undefined;
    const at = placeOf(event);
    if (held.end === 'both') {
      const next = moved(held, Math.round(x.invert(at) - x.invert(held.x)), first, last);
      return dates(next.from, next.to);
    }
    const day = dayAt(x, at, held.end, starts);
    return held.end === 'from'
      ? dates(Math.min(day, held.to), held.to)
      : dates(held.from, Math.max(day, held.from));
  }

  function move(event: PointerEvent): void {
    const next = placed(event);
    if (next) onmove(next);
  }

  function up(event: PointerEvent): void {
    const next = placed(event);
    held = undefined;
    if (next) onset(next);
  }

  function pressed(event: KeyboardEvent, end: End): void {
    const next = steppedDay(event.key, event.shiftKey, end, end === 'from' ? from : to, first, last);
    if (next === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    onstep(end === 'from' ? dates(Math.min(next, to), to) : dates(from, Math.max(next, from)));
  }
</script>

{#snippet bars(look: string)}
  {#each months as month, at (month.month)}
    {@const begin = x(starts[at] ?? first)}
    {@const end = x(Math.min(starts[at + 1] ?? last + 1, last + 1))}
    {@const height = (month.orders / most) * (FLOOR - ROOF - 4)}
    <rect class={look} x={begin + 0.5} y={FLOOR - height} width={Math.max(0.6, end - begin - 1.2)} {height}
      ><title>{monthOf(month.first_date)}: {counted(month.orders, 'order')}</title></rect
    >
  {/each}
{/snippet}

<!-- the handles are moved by keys too; dragging is what a pointer does -->
<svg
  bind:this={svg}
  {width}
  height={HEIGHT}
  class="brush"
  role="group"
  aria-label="The window on the months of the book"
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={() => (held = undefined)}
>
  <g transform="translate({SIDE} 0)">
    <line class="floor" x1="0" x2={inner} y1={FLOOR} y2={FLOOR} />
    {@render bars('month')}
    <clipPath {id}><rect x={x(from)} y="0" width={x(to + 1) - x(from)} height={HEIGHT} /></clipPath>
    <g clip-path="url(#{id})">{@render bars('inside')}</g>
    {#each events as event, at (at)}
      <text class="event" x={x(dayNumber(event.begins))} y="10" text-anchor="middle"
        >◦<title>{event.label}</title></text
      >
    {/each}
    {#each years as { year, at } (year)}
      <text class="year" x={at} y={HEIGHT - 3}>{year}</text>
    {/each}
    <rect
      class="window"
      x={x(from)}
      y={ROOF}
      width={Math.max(2, x(to + 1) - x(from))}
      height={FLOOR - ROOF}
    />
    {#each [['from', from, x(from)], ['to', to, x(to + 1)]] as const as [end, day, at] (end)}
      <circle
        class="handle"
        cx={at}
        cy={(FLOOR + ROOF) / 2}
        r="7"
        role="slider"
        tabindex="0"
        aria-label={end === 'from' ? 'The window begins' : 'The window ends'}
        aria-valuemin={first}
        aria-valuemax={last}
        aria-valuenow={day}
        aria-valuetext={date(isoOf(day))}
        onkeydown={(event) => pressed(event, end)}
      />
    {/each}
  </g>
</svg>

<style>
  .brush {
    touch-action: none;
    cursor: grab;
    user-select: none;
    flex: none;
  }
  .brush:active {
    cursor: grabbing;
  }
  .floor {
    stroke: var(--color-base-300);
  }
  .month {
    fill: var(--ramp-2);
  }
  .inside {
    fill: var(--ramp-7);
  }
  .event {
    fill: var(--gold);
    font-weight: 700;
  }
  .year {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
  .window {
    fill: var(--gold);
    fill-opacity: 0.07;
    stroke: var(--gold);
    stroke-width: 1.5;
    pointer-events: none;
  }
  .handle {
    fill: var(--color-base-100);
    stroke: var(--gold);
    stroke-width: 2;
    cursor: ew-resize;
  }
  .handle:focus-visible {
    outline: none;
    stroke: var(--color-base-content);
    stroke-width: 3;
  }
</style>
