<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import {
    HEAD_HEIGHT,
    LEFT_WIDTH,
    ageAt,
    columnCount,
    columnOf,
    firstAge,
    firstColumn,
    type Fit,
  } from './gridLayout';
  import type { Pointed } from './pointed';

  let { answer, fit, pointed }: { answer: Schemas['CohortsShape']; fit: Fit; pointed: Pointed } = $props();

  const first = $derived(firstColumn(answer));
  const top = HEAD_HEIGHT;
  const width = $derived(LEFT_WIDTH + columnCount(answer) * fit.cellWidth);
  const height = $derived(top + answer.cohorts.length * fit.rowHeight);
  const column = $derived(pointed.row < 0 ? pointed.age : columnOf(answer, pointed.row, pointed.age));
  const x = (at: number) => LEFT_WIDTH + (at - first) * fit.cellWidth;
  const y = (at: number) => top + at * fit.rowHeight;
  const rowEnd = $derived.by(() => {
    const row = answer.cohorts[pointed.row];
    return row ? x(columnOf(answer, pointed.row, row.customers.length)) : 0;
  });
  const rowBegin = $derived(x(Math.max(first, columnOf(answer, pointed.row, firstAge(answer)))));

  /** What shares the third reading: by age one calendar period, by calendar one age. */
  const diagonal = $derived.by(() => {
    if (pointed.row < 0 || pointed.part || answer.ages === 'elapsed') return '';
    const points: string[] = [];
    answer.cohorts.forEach((row, at) => {
      const age = answer.by_calendar ? pointed.age : pointed.row + pointed.age - at;
      if (age < firstAge(answer) || age >= row.customers.length || row.size === 0) return;
      const place = columnOf(answer, at, age);
      points.push(`${x(place) + fit.cellWidth / 2},${y(at) + fit.rowHeight / 2}`);
    });
    return points.join(' ');
  });
  const columnRows = $derived.by((): [number, number] => {
    const inColumn = answer.cohorts.flatMap((row, at) => {
      const age = ageAt(answer, at, column);
      return age >= firstAge(answer) && age < row.customers.length ? [at] : [];
    });
    return [inColumn[0] ?? 0, (inColumn.at(-1) ?? -1) + 1];
  });
</script>

<svg class="lights" {width} {height} aria-hidden="true" data-testid="lights">
  {#if pointed.row >= 0}
    <rect
      class="band"
      x={rowBegin}
      y={y(pointed.row)}
      width={Math.max(0, rowEnd - rowBegin)}
      height={fit.rowHeight}
    />
  {/if}
  {#if !pointed.part && columnRows[1] > columnRows[0]}
    <rect
      class="band"
      x={x(column)}
      y={y(columnRows[0])}
      width={fit.cellWidth}
      height={(columnRows[1] - columnRows[0]) * fit.rowHeight}
    />
  {/if}
  {#if diagonal}<polyline class="diagonal" class:fine={!fit.woven} points={diagonal} />{/if}
  {#if pointed.row >= 0 && !pointed.part}
    <rect class="cell" x={x(column)} y={y(pointed.row)} width={fit.cellWidth} height={fit.rowHeight} />
  {/if}
</svg>

<style>
  .lights {
    position: absolute;
    top: 0;
    left: 0;
    pointer-events: none;
  }
  .band {
    fill: none;
    stroke: var(--color-base-content);
    stroke-width: 1;
  }
  .diagonal {
    fill: none;
    stroke: var(--gold);
    stroke-width: 2.5;
    stroke-linejoin: round;
  }
  .diagonal.fine {
    stroke-width: 1.5;
  }
  .cell {
    fill: none;
    stroke: var(--color-base-content);
    stroke-width: 2.5;
  }
</style>
