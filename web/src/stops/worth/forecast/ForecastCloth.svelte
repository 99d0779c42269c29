<script lang="ts">
  import { quantile } from 'd3-array';
  import { periodName } from '$lib/format/dates';
  import { rounded } from '$lib/format/figures';
  import { ofCalendar } from '$lib/periods';
  import { pathOf, type Box } from '$src/charts/columns';
  import type { Forecast } from './said';

  /** What cohorts brought, and the rest of the table hatched beyond a gold step. */
  interface Props {
    answer: Forecast;
    width: number;
    height: number;
    onpoint: (at: { row: number; age: number } | null) => void;
    onopen: (cohort: string, age: number) => void;
  }
  let { answer, width, height, onpoint, onopen }: Props = $props();
  const LEFT = 92;
  const TOP = 20;
  const FOOT = 18;
  const TONES = 10;
  const DARK = 6;
  const READABLE = { width: 36, height: 13 };
  const hatchId = $props.id();

  const cell = $derived({
    width: (width - LEFT - 2) / Math.max(1, answer.ages),
    height: Math.min(26, (height - TOP - FOOT) / Math.max(1, answer.cohorts.length)),
  });
  const most = $derived(
    quantile(
      answer.cohorts.flatMap(({ values }) => values),
      0.97,
    ) ?? 1,
  );
  const toneOf = (value: number) =>
    Math.max(0, Math.min(TONES - 1, Math.floor((TONES * value) / Math.max(most, 1e-9))));
  const box = (row: number, age: number): Box => ({
    x: LEFT + age * cell.width,
    y: TOP + row * cell.height,
    width: Math.max(0.5, cell.width - 1),
    height: Math.max(0.5, cell.height - 1),
  });
  const drawn = $derived.by(() => {
    const came = Array.from({ length: TONES }, (): Box[] => []);
    const ahead = Array.from({ length: TONES }, (): Box[] => []);
    answer.cohorts.forEach(({ values, ahead: later }, row) => {
      values.forEach((value, age) => came[toneOf(value)]?.push(box(row, age)));
      later.forEach((value, at) => ahead[toneOf(value)]?.push(box(row, values.length + at)));
    });
    return { came: came.map(pathOf), ahead: ahead.map(pathOf), hatched: pathOf(ahead.flat()) };
  });
  const hasText = $derived(cell.width >= READABLE.width && cell.height >= READABLE.height);
  const texts = $derived(
    hasText
      ? answer.cohorts.flatMap(({ values, ahead }, row) =>
          [...values, ...ahead].map((value, age) => ({
            ...box(row, age),
            text: rounded(value),
            isAhead: age >= values.length,
            isDark: age < values.length && toneOf(value) >= DARK,
          })),
        )
      : [],
  );
  /** Between what came and what is forecast. */
  const step = $derived.by(() => {
    const points = answer.cohorts.flatMap(({ values, ahead }, row) => {
      if (ahead.length === 0) return [];
      const { x, y } = box(row, values.length);
      return [`${x - 0.5},${y - 0.5}`, `${x - 0.5},${y + cell.height - 0.5}`];
    });
    return points.join(' ');
  });
  const every = $derived(Math.max(1, Math.ceil(14 / cell.height)));
  const agesEvery = $derived(Math.max(1, Math.ceil(22 / cell.width)));

  function at(event: MouseEvent): { row: number; age: number } | null {
    const place = (event.currentTarget as SVGElement).getBoundingClientRect();
    const age = Math.floor((event.clientX - place.left - LEFT) / cell.width);
    const row = Math.floor((event.clientY - place.top - TOP) / cell.height);
    return row >= 0 && row < answer.cohorts.length && age >= 0 && age < answer.ages ? { row, age } : null;
  }

  function opened(event: MouseEvent): void {
    const place = at(event);
    const cohort = place && answer.cohorts[place.row];
    if (place && cohort && place.age < cohort.values.length) onopen(cohort.cohort, place.age);
  }
</script>

<!-- the same figures stand in the table, where they are opened by keys -->
<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<svg
  {width}
  {height}
  role="img"
  aria-label="What cohorts brought by age, and what they are forecast to bring; the same figures stand in the table"
  class="cursor-pointer"
  onpointermove={(event) => onpoint(at(event))}
  onpointerdown={(event) => onpoint(at(event))}
  onpointerleave={() => onpoint(null)}
  onclick={opened}
>
  <defs>
    <pattern id={hatchId} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <line class="hatch" x1="0" y1="0" x2="0" y2="5" />
    </pattern>
  </defs>
  {#each drawn.came as path, tone (tone)}<path d={path} fill="var(--ramp-{tone})" />{/each}
  {#each drawn.ahead as path, tone (tone)}<path class="ahead" d={path} fill="var(--ramp-{tone})" />{/each}
  <path d={drawn.hatched} fill="url(#{hatchId})" />
  {#each texts as { x, y, text, isAhead, isDark }, place (place)}
    <text
      class="figure"
      class:is-ahead={isAhead}
      class:is-dark={isDark}
      x={x + cell.width - 5}
      y={y + cell.height / 2 + 4}
      text-anchor="end">{text}</text
    >
  {/each}
  <polyline class="step" points={step} />
  {#each answer.cohorts as { cohort }, row (cohort)}
    {#if row % every === 0}
      <text class="label" x="0" y={TOP + row * cell.height + cell.height / 2 + 4}>{periodName(cohort)}</text>
    {/if}
  {/each}
  {#each Array.from({ length: answer.ages }, (_, age) => age) as age (age)}
    {#if age % agesEvery === 0}
      <text class="label" x={LEFT + (age + 0.5) * cell.width} y={TOP - 6} text-anchor="middle">{age}</text>
    {/if}
  {/each}
  <text class="label" x={LEFT} y={TOP + answer.cohorts.length * cell.height + 13}
    >{ofCalendar(answer.period)}s since the first order</text
  >
</svg>

<style>
  .ahead {
    opacity: 0.35;
  }
  .hatch {
    stroke: var(--color-base-100);
    stroke-width: 1.5;
    opacity: 0.7;
  }
  .step {
    fill: none;
    stroke: var(--gold);
    stroke-width: 2.5;
  }
  .figure {
    fill: var(--color-base-content);
    font-size: 12px;
    font-variant-numeric: tabular-nums;
  }
  .is-dark {
    fill: var(--color-base-100);
  }
  .is-ahead {
    font-style: italic;
    paint-order: stroke;
    stroke: var(--color-base-100);
    stroke-width: 3px;
  }
  .label {
    fill: var(--color-neutral);
    font-size: 12.5px;
  }
</style>
