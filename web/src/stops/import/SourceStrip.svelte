<script lang="ts">
  import { max } from 'd3-array';
  import { scaleBand, scaleLinear } from 'd3-scale';
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';

  let { sources, tall = false }: { sources: Schemas['SourcesShape']; tall?: boolean } = $props();
  const LANE = $derived(tall && sources.sources.length < 6 ? 84 : 54);
  const BAR = $derived(LANE - 20);
  const LEFT = 112;
  let width = $state(840);

  const x = $derived(
    scaleBand<number>()
      .domain(sources.months.map((_, place) => place))
      .range([LEFT, width - 4])
      .paddingInner(sources.months.length > 90 ? 0 : 0.22),
  );
  const years = $derived(
    sources.months.map((month, place) => ({ month, place })).filter(({ month }) => month.endsWith('-01')),
  );
  const heights = $derived(
    sources.sources.map((source) =>
      scaleLinear()
        .domain([0, max(source.orders) || 1])
        .range([0, BAR]),
    ),
  );
  const marks = $derived(
    sources.sources.map((source) =>
      [
        ...source.missing.map((place) => ({ place, words: 'nothing' })),
        ...source.doubled.map((place) => ({ place, words: 'twice the usual' })),
      ].sort((one, other) => one.place - other.place),
    ),
  );
  const month = (place: number) => periodName(sources.months[place] ?? '');
</script>

<section class="relative shrink-0" aria-label="Orders per month and source" bind:clientWidth={width}>
  <p class="quiet mb-1 text-sm">
    Orders per month, each source on a scale of its own. A month with none where some are usual, or with twice
    the usual, is marked: a delivery may be missing or doubled.
  </p>
  <svg
    {width}
    height={sources.sources.length * LANE + 22}
    role="img"
    aria-label="Bars; the table below has the figures"
  >
    {#each sources.sources as source, row (source.name)}
      {@const base = row * LANE + 14 + BAR}
      <text x="0" y={base - 12} class="name">{source.name}</text>
      <text x="0" y={base + 3} class="sum">{count(source.orders.reduce((a, b) => a + b, 0))}</text>
      <line x1={LEFT} x2={width - 4} y1={base + 0.5} y2={base + 0.5} class="ground" />
      {#each source.orders as orders, place (place)}
        {@const height = heights[row]?.(orders) ?? 0}
        {@const doubled = source.doubled.includes(place)}
        {#if orders > 0}
          <rect
            x={x(place)}
            y={base - Math.max(height, 1)}
            width={x.bandwidth()}
            height={Math.max(height, 1)}
            class="bar"
            class:doubled><title>{month(place)}: {counted(orders, 'order')}</title></rect
          >
        {:else if source.missing.includes(place)}
          <rect x={x(place)} y={base - 16} width={x.bandwidth()} height="16" class="missing"
            ><title>{month(place)}: nothing</title></rect
          >
        {/if}
      {/each}
      {#each (marks[row] ?? []).slice(0, 2) as mark, nth (mark.place)}
        {#if nth === 0 || (x(mark.place) ?? 0) - (x(marks[row]?.[0]?.place ?? 0) ?? 0) > 170}
          <text
            x={x(mark.place)}
            y={base - BAR - 4}
            class="mark"
            text-anchor={(x(mark.place) ?? 0) > width - 170 ? 'end' : 'start'}
            >{month(mark.place)}: {mark.words}{nth === 0 && (marks[row]?.length ?? 0) > 2
              ? `, and ${(marks[row]?.length ?? 1) - 1} more`
              : ''}</text
          >
        {/if}
      {/each}
    {/each}
    {#each years as year (year.place)}
      <text x={x(year.place)} y={sources.sources.length * LANE + 16} class="sum">{month(year.place)}</text>
    {/each}
  </svg>
  <div class="sr-only">
    <table>
      <caption>Orders per month and source</caption>
      <thead>
        <tr
          ><th>Month</th>{#each sources.sources as source (source.name)}<th>{source.name}</th>{/each}</tr
        >
      </thead>
      <tbody>
        {#each sources.months as label, place (label)}
          <tr>
            <th>{month(place)}</th>
            {#each sources.sources as source (source.name)}
              <td
                >{source.orders[place]}{source.missing.includes(place)
                  ? ', looks missing'
                  : ''}{source.doubled.includes(place) ? ', twice the usual' : ''}</td
              >
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
</section>

<style>
  .name {
    font-size: 0.9375rem;
    fill: var(--color-base-content);
  }
  .sum {
    font-size: 0.8125rem;
    fill: var(--color-neutral);
  }
  .mark {
    font-size: 0.8125rem;
    fill: var(--color-error);
  }
  .ground {
    stroke: var(--color-base-300);
  }
  .bar {
    fill: var(--ramp-7);
  }
  .bar.doubled {
    fill: var(--color-error);
  }
  .missing {
    fill: none;
    stroke: var(--color-error);
    stroke-dasharray: 2 2;
  }
</style>
