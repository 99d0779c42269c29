<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { count, counted, percent } from '$lib/format/figures';
  import { inUnits } from '$lib/format/units';
  import { yearOf } from '$lib/periods';
  import { pathOf, type Box } from '$src/charts/columns';
  import { firstAge, tones, type Ramp } from './gridLayout';
  import { later } from './readings';
  import { onceShare } from './split';

  interface Props {
    answer: Schemas['CohortsShape'];
    group: Schemas['SplitGroupShape'];
    colours: Ramp;
    width: number;
    height: number;
    /** Room at the left for the years of the cohorts; 0 for none. */
    margin: number;
    onpoint: (age: number | null, words: string) => void;
    onopen: (cohort: string, age: number) => void;
  }
  let { answer, group, colours, width, height, margin, onpoint, onopen }: Props = $props();

  const HEAD = 40;
  const first = $derived(firstAge(answer));
  const columns = $derived(Math.max(1, answer.ages_shown - first));
  const cell = $derived({
    width: Math.max(2, (width - margin - 2) / columns),
    height: Math.max(1.5, (height - HEAD) / Math.max(1, group.cohorts.length)),
  });
  const box = (row: number, age: number): Box => ({
    x: margin + (age - first) * cell.width,
    y: row * cell.height,
    width: cell.width - 0.4,
    height: cell.height - 0.4,
  });
  const drawn = $derived.by(() => {
    const boxes = new Map(tones.map((tone): [string, Box[]] => [tone, []]));
    group.cohorts.forEach((row, at) =>
      row.values.forEach((value, age) => {
        if (row.size > 0 && age >= first && value !== null)
          boxes.get(colours.tone(value))?.push(box(at, age));
      }),
    );
    return [...boxes].map(([tone, own]) => ({ tone, path: pathOf(own) }));
  });
  const running = $derived(
    pathOf(
      group.cohorts.flatMap((row, at) =>
        row.values.flatMap((_, age) => (age >= Math.max(first, row.complete) ? [box(at, age)] : [])),
      ),
    ),
  );
  const years = $derived(
    answer.cohorts.flatMap((row, at) => {
      const year = yearOf(row.cohort);
      return at === 0 || yearOf(answer.cohorts[at - 1]?.cohort ?? '') !== year ? [{ year, at }] : [];
    }),
  );
  const hatchId = $props.id();

  function at(event: MouseEvent): { row: number; age: number } | null {
    const place = (event.currentTarget as SVGElement).getBoundingClientRect();
    const age = first + Math.floor((event.clientX - place.left - margin) / cell.width);
    const row = Math.floor((event.clientY - place.top) / cell.height);
    const known = group.cohorts[row];
    return known && known.size > 0 && age >= first && age < known.values.length ? { row, age } : null;
  }

  function pointed(event: MouseEvent): void {
    const place = at(event);
    const row = place ? group.cohorts[place.row] : undefined;
    if (!place || !row) return;
    const cohort = answer.cohorts[place.row]?.cohort ?? '';
    const value = inUnits(row.values[place.age] ?? null, answer.unit, 0);
    const small = row.small ? ' · small cohort, read with care' : '';
    onpoint(
      place.age,
      `${group.label}, ${periodName(cohort)}, ${later(answer, place.age)}: ${value} of ${counted(row.size, 'customer')}${small}`,
    );
  }

  function clicked(event: MouseEvent): void {
    const place = at(event);
    const cohort = place ? answer.cohorts[place.row]?.cohort : undefined;
    if (place && cohort) onopen(cohort, place.age);
  }
</script>

<figure style:width="{width}px" class="min-w-0">
  <figcaption class="h-10 leading-tight" style:padding-left="{margin}px">
    <p class="truncate font-semibold" title={group.label}>{group.label}</p>
    <p class="quiet truncate text-sm">
      {count(group.customers)},
      <span class:font-semibold={onceShare(group) > 0.8} class:text-error={onceShare(group) > 0.8}
        >{percent(onceShare(group))} % bought once</span
      >
    </p>
  </figcaption>
  <!-- every figure of it stands in the file, and in the table of this group alone -->
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <svg
    {width}
    height={height - HEAD}
    role="img"
    aria-label="{group.label}: cohorts by age, {counted(group.customers, 'customer')}"
    class="cursor-pointer"
    onpointermove={pointed}
    onpointerdown={pointed}
    onpointerleave={() => onpoint(null, '')}
    onclick={clicked}
  >
    <defs>
      <pattern id={hatchId} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line class="hatch" x1="0" y1="0" x2="0" y2="4" />
      </pattern>
    </defs>
    {#if margin > 0}
      {#each years as { year, at } (year)}
        <text class="year" x={margin - 6} y={at * cell.height + 10} text-anchor="end">{year}</text>
      {/each}
    {/if}
    {#each drawn as { tone, path } (tone)}<path class="tone-{tone}" d={path} />{/each}
    <path d={running} fill="url(#{hatchId})" />
  </svg>
</figure>

<style>
  .year {
    fill: var(--color-neutral);
    font-size: 12px;
  }
  .hatch {
    stroke: var(--hatch);
    stroke-width: 1.5;
    opacity: 0.7;
  }
</style>
