<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { count, percent } from '$lib/format/figures';
  import { onAxis } from '$lib/format/units';
  import { useTargets } from '$lib/targets.svelte';
  import ColumnCurve from '$src/charts/ColumnCurve.svelte';
  import { footTexts, headLabel } from './gridCells';
  import {
    ALL_HEIGHT,
    CURVE_HEIGHT,
    LEFT_WIDTH,
    allValues,
    columnCount,
    firstColumn,
    type Fit,
  } from './gridLayout';
  import { cellId } from './pointed';

  /** The averages and their curve, one unit: the eye drops from a column straight to its point. */
  interface Props {
    answer: Schemas['CohortsShape'];
    fit: Fit;
    /** The columns that are shown, from one to before another. */
    shown: [number, number];
    pointedColumn: number;
    isPointed: boolean;
    openedColumn: number | null;
    onopen: (column: number) => void;
  }
  let { answer, fit, shown, pointedColumn, isPointed, openedColumn, onopen }: Props = $props();

  const first = $derived(firstColumn(answer));
  const columns = $derived(columnCount(answer));
  const shownColumns = $derived(
    Array.from({ length: Math.max(0, shown[1] - shown[0]) }, (_, at) => shown[0] + at),
  );
  const texts = $derived(footTexts(answer, fit));
  const bounded = $derived(!answer.by_calendar && answer.all.low.some((value) => value !== null));
  const targets = useTargets();
  /** Of one age, whichever cohort it is held to. */
  const bounds = $derived(
    answer.by_calendar || answer.totalled
      ? []
      : targets.all.flatMap(({ figure, bound }) => {
          const at = Number(figure['age']);
          const value = answer.unit === 'share' ? bound / 100 : bound;
          return at >= first && at < first + columns ? [{ at, value }] : [];
        }),
  );
  const title = $derived.by(() => {
    const rest = answer.rest && !answer.by_calendar ? '; dashed: everybody else' : '';
    const how = answer.by_calendar
      ? `in each ${spoken(answer.period)}`
      : answer.totalled
        ? 'all cohorts, in total'
        : `average by age${bounded ? ', 95 % band' : ''}`;
    const target = bounds.length > 0 ? '; red: target' : '';
    return `${how}${rest}${target}`;
  });
</script>

<tfoot>
  <tr aria-rowindex={answer.cohorts.length + 2} data-row="-1" class="all" style:height="{ALL_HEIGHT}px">
    <th scope="row" class="period"
      >{answer.by_calendar ? 'In the period' : answer.totalled ? 'Total' : 'Average'}</th
    >
    <td
      id={cellId({ row: -1, age: 0, part: 'customers' })}
      role="gridcell"
      aria-colindex={2}
      class="size figure"
      data-part="customers">{count(answer.customers)}</td
    >
    <td
      id={cellId({ row: -1, age: 0, part: 'back' })}
      role="gridcell"
      aria-colindex={3}
      class="size figure"
      data-part="back">{percent(answer.customers ? answer.all.came_back / answer.customers : null, 1)}</td
    >
    {#if shown[0] > first}<td aria-hidden="true"></td>{/if}
    {#each shownColumns as column (column)}
      <td
        id={cellId({ row: -1, age: column })}
        role="gridcell"
        aria-colindex={column - first + 4}
        data-age={column}
        class="figure"
        class:tight={fit.cellWidth < 24}
        class:pointed={isPointed && pointedColumn === column}
        class:opened={openedColumn === column}>{texts[column] ?? ''}</td
      >
    {/each}
    {#if shown[1] < first + columns}<td aria-hidden="true"></td>{/if}
  </tr>
  <tr class="curve" aria-hidden="true">
    <td colspan={columns + 4}>
      <ColumnCurve
        {title}
        values={allValues(answer)}
        {...bounded ? { low: answer.all.low, high: answer.all.high } : {}}
        rest={answer.by_calendar ? [] : (answer.rest?.values ?? [])}
        targets={bounds}
        {first}
        left={LEFT_WIDTH}
        step={fit.cellWidth}
        height={CURVE_HEIGHT}
        shares={answer.unit === 'share'}
        say={(value) => onAxis(value, answer.unit)}
        name={(column) => (answer.by_calendar ? headLabel(answer, column, fit, false) : String(column))}
        pointed={pointedColumn}
        {onopen}
      />
    </td>
  </tr>
</tfoot>
