<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { count, percent } from '$lib/format/figures';
  import { cellsOf, labelEvery, rowLabel } from './gridCells';
  import { backShare, columnCount, firstAge, firstColumn, type Fit, type Ramp } from './gridLayout';
  import { cellId } from './pointed';

  interface Props {
    answer: Schemas['CohortsShape'];
    row: Schemas['CohortRowShape'];
    place: number;
    fit: Fit;
    tones: Ramp;
    /** The columns that are shown, from one to before another. */
    shown: [number, number];
    isLit: boolean;
    events: string[] | undefined;
  }
  let { answer, row, place, fit, tones, shown, isLit, events }: Props = $props();

  const first = $derived(firstColumn(answer));
  const columns = $derived(columnCount(answer));
  const begins = $derived(answer.by_calendar ? Math.max(shown[0], place + firstAge(answer)) : shown[0]);
  const seen = $derived(
    Math.min(shown[1], answer.by_calendar ? place + row.customers.length : row.customers.length),
  );
  const label = $derived(isLit && fit.woven ? periodName(row.cohort) : rowLabel(row.cohort, place, fit));
  const hasRoom = $derived(labelEvery(fit) === 1 || isLit || label !== '');
  const cells = $derived(cellsOf({ answer, fit, tones }, row, place, begins, seen));
</script>

<tr aria-rowindex={place + 2} data-row={place} style:height="{fit.rowHeight}px">
  <th
    scope="row"
    class="period"
    class:lit={isLit}
    class:event={events !== undefined}
    title={[periodName(row.cohort), ...(events ?? [])].join(' · ')}
  >
    <span class="name">{label}</span>
  </th>
  <td
    id={cellId({ row: place, age: 0, part: 'customers' })}
    role="gridcell"
    aria-colindex={2}
    class="size"
    class:lit={isLit}
    data-part="customers"
  >
    {#if hasRoom}
      {#if row.small && !fit.woven}<span class="small">small</span>{/if}<span class="name"
        >{row.size ? count(row.size) : '—'}</span
      >
    {/if}
  </td>
  <td
    id={cellId({ row: place, age: 0, part: 'back' })}
    role="gridcell"
    aria-colindex={3}
    class="size"
    class:lit={isLit}
    class:apart={row.apart !== null}
    data-part="back"
  >
    {#if hasRoom}<span class="name">{percent(backShare(row))}</span>{/if}
  </td>
  {#if shown[0] > first}<td aria-hidden="true"></td>{/if}
  {#if begins > shown[0] && row.size > 0}
    <td aria-label="before the first order" colspan={Math.min(begins, shown[1]) - shown[0]}></td>
  {/if}
  {#each cells as cell (cell.age)}
    <td
      id={cell.id}
      role="gridcell"
      aria-colindex={(answer.by_calendar ? cell.age + place : cell.age) - first + 4}
      aria-label={cell.label}
      data-age={cell.age}
      class={cell.looks}>{cell.text}</td
    >
  {/each}
  {#if seen < first + columns || row.size === 0}
    <td aria-label="not yet" colspan={Math.max(1, shown[1] - Math.max(seen, shown[0]))}></td>
  {/if}
</tr>
