<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName, shortPeriodName } from '$lib/format/dates';
  import { count, percent, rounded } from '$lib/format/figures';
  import { isTyping } from '$lib/keys';
  import { eventsOver } from '$lib/periods';
  import { windowOf } from '$lib/windows';
  import GridLights from './GridLights.svelte';
  import OpenedRing from './OpenedRing.svelte';
  import { ALL, type Opened } from './cohorts.svelte';
  import {
    ALL_HEIGHT,
    BACK_WIDTH,
    HEAD_HEIGHT,
    LABEL_WIDTH,
    LEFT_WIDTH,
    SIZE_WIDTH,
    WOVEN_GAP,
    ageAt,
    allText,
    allValues,
    backShare,
    cellText,
    columnCount,
    columnOf,
    firstAge,
    firstColumn,
    ramp,
    valueOf,
    type Fit,
  } from './grid';
  import type { Pointed } from './pointed';

  type Row = Schemas['CohortRowShape'];
  interface Props {
    answer: Schemas['CohortsShape'];
    fit: Fit;
    room: { width: number; height: number };
    opened: Opened | null;
    pointed: Pointed | null;
    onpoint: (at: Pointed | null) => void;
    onopen: (cohort: string, age: number | string) => void;
  }
  let { answer, fit, room, opened, pointed, onpoint, onopen }: Props = $props();

  let box: HTMLElement;
  let scrollTop = $state(0);
  let scrollLeft = $state(0);
  const first = $derived(firstColumn(answer));
  const youngest = $derived(firstAge(answer));
  const columns = $derived(columnCount(answer));
  const colours = $derived(ramp(answer));
  const rows = $derived(windowOf(scrollTop, room.height, fit.rowHeight, answer.cohorts.length));
  const shown = $derived(
    windowOf(scrollLeft, room.width, fit.cellWidth, columns).map((at) => at + first) as [number, number],
  );
  const shownColumns = $derived(
    Array.from({ length: Math.max(0, shown[1] - shown[0]) }, (_, at) => shown[0] + at),
  );
  const labelEvery = $derived(fit.woven ? Math.max(1, Math.ceil(13 / fit.rowHeight)) : 1);
  const ageEvery = $derived(fit.cellWidth >= 24 ? 1 : fit.cellWidth >= 12 ? 3 : 6);
  const events = $derived(
    new Map(eventsOver(answer.periods, answer.events).map(({ place, labels }) => [place, labels])),
  );
  const pointedColumn = $derived(pointed ? columnAt(pointed) : -1);

  function columnAt({ row, age }: Pointed): number {
    return row < 0 ? age : columnOf(answer, row, age);
  }

  function labelOf(cohort: string, row: number): string {
    if (!fit.woven || labelEvery === 1) return shortPeriodName(cohort, row === 0);
    const begins = /-(01|Q1|W01)$/.test(cohort) || row === 0;
    return begins ? periodName(cohort) : '';
  }

  function headOf(column: number): string {
    if (!answer.by_calendar)
      return column % ageEvery === 0 || pointedColumn === column || column === first ? String(column) : '';
    const period = answer.periods[column] ?? '';
    if (fit.cellWidth >= 44) return shortPeriodName(period, column === 0);
    const begins = !period.includes('-') || /-(01|Q1|W01)$/.test(period) || column === 0;
    return begins ? period.slice(0, 4) : '';
  }

  /** The totals in the first form that fits every column; the line under the table tells them exactly. */
  const totals = $derived.by(() => {
    const values = allValues(answer);
    const wide = (fit.cellWidth - 4) / (fit.cellWidth < 24 ? 4.9 : 7.2);
    const exact = values.map((value) => allText(answer, value, fit.cellWidth < 40));
    const rough = values.map((value) => (value === null ? '' : rounded(value)));
    const fits = (texts: string[]) => texts.slice(first).every((text) => text.length <= Math.ceil(wide));
    return fits(exact) ? exact : answer.unit !== 'share' && fits(rough) ? rough : [];
  });

  function at(event: Event): Pointed | null {
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-age]');
    const row = cell?.closest<HTMLElement>('[data-row]')?.dataset['row'];
    return cell ? { row: Number(row), age: Number(cell.dataset['age']) } : null;
  }

  function open(where: Pointed | null, event?: Event): void {
    if (!where) return;
    const cohort = where.row < 0 ? ALL : answer.cohorts[where.row]?.cohort;
    const back = event ? (event.target as HTMLElement).closest('[data-back]') : null;
    const inAll = where.row < 0 && answer.by_calendar && !back;
    if (cohort) onopen(cohort, back ? ALL : inAll ? (answer.periods[where.age] ?? ALL) : where.age);
  }

  function pressed(event: KeyboardEvent): void {
    if (isTyping(event)) return;
    const now = pointed ?? { row: 0, age: youngest };
    const steps: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const step = steps[event.key];
    if (event.key === 'Enter') open(pointed);
    else if (step) move(pointed ? next(now, step) : now);
    else return;
    event.preventDefault();
  }

  /** The next cell in the picture: by calendar, up and down keep the period and not the age. */
  function next(now: Pointed, [down, right]: [number, number]): Pointed {
    const row = Math.max(-1, Math.min(answer.cohorts.length - 1, now.row + down));
    const column = columnAt(now) + right;
    return { row, age: row < 0 ? column : ageAt(answer, row, column) };
  }

  function move({ row, age: wanted }: Pointed): void {
    const last = row < 0 ? answer.ages_shown - 1 : (answer.cohorts[row]?.customers.length ?? 1) - 1;
    const age = Math.max(row < 0 ? first : youngest, Math.min(last, wanted));
    onpoint({ row, age });
    if (!fit.scrolls) return;
    const left = (columnAt({ row, age }) - first) * fit.cellWidth;
    const top = row * fit.rowHeight;
    const inner = { width: room.width - LEFT_WIDTH, height: room.height - HEAD_HEIGHT - ALL_HEIGHT };
    if (left < box.scrollLeft) box.scrollLeft = left;
    if (left + fit.cellWidth > box.scrollLeft + inner.width)
      box.scrollLeft = left + fit.cellWidth - inner.width;
    if (top < box.scrollTop) box.scrollTop = top;
    if (top + fit.rowHeight > box.scrollTop + inner.height)
      box.scrollTop = top + fit.rowHeight - inner.height;
  }

  interface Cell {
    id: string;
    age: number;
    text: string;
    label: string | undefined;
    looks: string;
  }

  /** The cells of a row, worked out as plain values: thousands of them are made at once. */
  function cellsOf(row: Row, place: number, from: number, to: number): Cell[] {
    if (row.size === 0) return [];
    const cells: Cell[] = [];
    for (let column = from; column < to; column += 1) {
      const age = ageAt(answer, place, column);
      const text = cellText(answer, row, age, fit.woven ? Infinity : fit.cellWidth);
      const running = age >= row.complete ? ' partial' : '';
      const odd = row.odd.length > 0 && row.odd.includes(age) ? ' odd' : '';
      cells.push({
        id: `cell-${place}-${age}`,
        age,
        text: fit.woven ? '' : text,
        label: fit.woven ? text : undefined,
        looks: `figure ramp-${colours.step(valueOf(row, age))}${running}${odd}`,
      });
    }
    return cells;
  }

  /** The place of what is opened, where the table shows it. */
  const openedAt = $derived.by((): Pointed | null => {
    if (!opened || opened.group || opened.age === ALL) return null;
    const row =
      opened.cohort === ALL ? -1 : answer.cohorts.findIndex(({ cohort }) => cohort === opened.cohort);
    const period = answer.periods.indexOf(opened.age);
    if (row === -1 && opened.cohort !== ALL) return null;
    return { row, age: row < 0 && answer.by_calendar ? period : Number(opened.age) };
  });
</script>

<div
  bind:this={box}
  class="box"
  class:overflow-auto={fit.scrolls}
  style:max-height="{room.height}px"
  onscroll={() => {
    scrollTop = box.scrollTop;
    scrollLeft = box.scrollLeft;
  }}
>
  <table
    role="grid"
    tabindex="0"
    class:woven={fit.woven}
    class:scrolls={fit.scrolls}
    class:close={!fit.woven && (fit.cellWidth < 40 || fit.rowHeight < 22)}
    aria-label={answer.by_calendar ? 'Cohorts by calendar period' : 'Cohorts by age'}
    aria-rowcount={answer.cohorts.length + 2}
    aria-colcount={columns + 3}
    aria-activedescendant={pointed ? `cell-${pointed.row}-${pointed.age}` : undefined}
    style:width="{LEFT_WIDTH + columns * fit.cellWidth}px"
    onkeydown={pressed}
    onclick={(event) => open(at(event), event)}
    onmouseover={(event) => onpoint(at(event) ?? pointed)}
    onmouseleave={() => onpoint(null)}
    onfocus={() => onpoint(pointed ?? { row: 0, age: youngest })}
  >
    <thead>
      <tr aria-rowindex="1" style:height="{HEAD_HEIGHT}px">
        <th scope="col" class="period" style:width="{LABEL_WIDTH}px">First order</th>
        <th scope="col" class="size" style:width="{SIZE_WIDTH}px">Customers</th>
        <th
          scope="col"
          class="size"
          style:width="{BACK_WIDTH}px"
          title="Customers with an order at any later age, counted afresh: not the sum of the cells, because one customer can come back at many ages."
          >Back, %</th
        >
        {#if shown[0] > first}<td aria-hidden="true" style:width="{(shown[0] - first) * fit.cellWidth}px"
          ></td>{/if}
        {#each shownColumns as column (column)}
          <th
            scope="col"
            aria-colindex={column - first + 4}
            style:width="{fit.cellWidth}px"
            class:event={answer.by_calendar && events.has(column)}
            title={answer.by_calendar
              ? [periodName(answer.periods[column] ?? ''), ...(events.get(column) ?? [])].join(' · ')
              : undefined}
            >{#if headOf(column)}<span class="age" class:lit={pointedColumn === column}>{headOf(column)}</span
              >{/if}</th
          >
        {/each}
        {#if shown[1] < first + columns}<td aria-hidden="true"></td>{/if}
      </tr>
      <tr aria-rowindex="2" data-row="-1" class="all" style:height="{ALL_HEIGHT}px">
        <th scope="row" class="period"
          >{answer.by_calendar ? 'In the period' : answer.totalled ? 'Total' : 'Average'}</th
        >
        <td class="size figure" data-age="0">{count(answer.customers)}</td>
        <td class="size figure" data-age="0" data-back="1"
          >{percent(answer.customers ? answer.all.came_back / answer.customers : null, 1)}</td
        >
        {#if shown[0] > first}<td aria-hidden="true"></td>{/if}
        {#each shownColumns as column (column)}
          <td
            id="cell--1-{column}"
            role="gridcell"
            aria-colindex={column - first + 4}
            data-age={column}
            class="figure"
            class:tight={fit.cellWidth < 24}>{totals[column] ?? ''}</td
          >
        {/each}
        {#if shown[1] < first + columns}<td aria-hidden="true"></td>{/if}
      </tr>
    </thead>
    <tbody>
      {#if fit.woven}<tr aria-hidden="true" style:height="{WOVEN_GAP}px"></tr>{/if}
      {#if rows[0] > 0}<tr aria-hidden="true" style:height="{rows[0] * fit.rowHeight}px"></tr>{/if}
      {#each answer.cohorts.slice(rows[0], rows[1]) as row, offset (row.cohort)}
        {@const place = rows[0] + offset}
        {@const begins = answer.by_calendar ? Math.max(shown[0], place + youngest) : shown[0]}
        {@const seen = Math.min(
          shown[1],
          answer.by_calendar ? place + row.customers.length : row.customers.length,
        )}
        <tr aria-rowindex={place + 3} data-row={place} style:height="{fit.rowHeight}px">
          <th
            scope="row"
            class="period"
            class:lit={pointed?.row === place}
            class:event={events.has(place)}
            title={[periodName(row.cohort), ...(events.get(place) ?? [])].join(' · ')}
          >
            <span class="name"
              >{pointed?.row === place && fit.woven
                ? periodName(row.cohort)
                : labelOf(row.cohort, place)}</span
            >
          </th>
          <td class="size" class:lit={pointed?.row === place} data-age="0">
            {#if !fit.woven || labelEvery === 1 || pointed?.row === place || labelOf(row.cohort, place)}
              {#if row.small && !fit.woven}<span class="small">small</span>{/if}<span class="name"
                >{row.size ? count(row.size) : '—'}</span
              >
            {/if}
          </td>
          <td
            class="size"
            class:lit={pointed?.row === place}
            class:apart={row.apart !== null}
            data-age="0"
            data-back="1"
          >
            {#if !fit.woven || labelEvery === 1 || pointed?.row === place || labelOf(row.cohort, place)}
              <span class="name">{percent(backShare(row))}</span>
            {/if}
          </td>
          {#if shown[0] > first}<td aria-hidden="true"></td>{/if}
          {#if begins > shown[0] && row.size > 0}
            <td aria-label="before the first order" colspan={Math.min(begins, shown[1]) - shown[0]}></td>
          {/if}
          {#each cellsOf(row, place, begins, seen) as cell (cell.age)}
            <td id={cell.id} role="gridcell" aria-label={cell.label} data-age={cell.age} class={cell.looks}
              >{cell.text}</td
            >
          {/each}
          {#if seen < first + columns || row.size === 0}
            <td aria-label="not yet" colspan={Math.max(1, shown[1] - Math.max(seen, shown[0]))}></td>
          {/if}
        </tr>
      {/each}
      {#if rows[1] < answer.cohorts.length}
        <tr aria-hidden="true" style:height="{(answer.cohorts.length - rows[1]) * fit.rowHeight}px"></tr>
      {/if}
    </tbody>
  </table>
  {#if pointed}<GridLights {answer} {fit} {pointed} />{/if}
  {#if openedAt}<OpenedRing {answer} {fit} at={openedAt} />{/if}
</div>

<style>
  .box {
    position: relative;
    width: 100%;
  }
  .event .name::after,
  th.event > .age::after {
    content: '◦';
    color: var(--gold);
    font-weight: 700;
  }
  td.apart {
    background: linear-gradient(var(--color-error), var(--color-error)) no-repeat right 1px center / 5px 4px;
  }
  table {
    table-layout: fixed;
    border-collapse: separate;
    border-spacing: 0;
    outline-offset: -2px;
  }
  th,
  td {
    padding: 0;
    text-align: right;
    font-weight: 400;
    white-space: nowrap;
  }
  thead th,
  .period,
  .size {
    color: var(--color-neutral);
  }
  .period {
    text-align: left;
    overflow: hidden;
  }
  .size {
    padding-right: 10px;
  }
  .lit {
    color: var(--color-base-content);
    font-weight: 600;
  }
  .scrolls thead tr > * {
    position: sticky;
    top: 0;
    z-index: 2;
    background: var(--color-base-200);
  }
  .scrolls thead tr.all > * {
    top: 26px;
  }
  .scrolls .period {
    position: sticky;
    left: 0;
    z-index: 3;
    background: var(--color-base-200);
  }
  .scrolls tbody .period {
    z-index: 1;
  }
  .age {
    display: inline-block;
    padding-right: 6px;
  }
  .woven .age {
    padding-right: 0;
    width: 0;
    direction: rtl;
    overflow: visible;
    transform: translateX(-2px);
  }
  .woven .name {
    font-size: 0.8125rem;
    line-height: 0;
  }
  .close tbody {
    font-size: 0.78rem;
    line-height: 1;
  }
  .close .figure {
    padding-right: 5px;
  }
  .close tr.all .figure:not(.size) {
    font-size: 0.78rem;
  }
  .woven tbody th,
  .woven tbody td {
    font-size: 0;
    line-height: 0;
  }
  .woven .period {
    overflow: visible;
  }
  tr.all th,
  tr.all td {
    font-weight: 600;
    color: var(--color-base-content);
    border-bottom: 2px solid var(--gold);
  }
  .figure,
  td.size {
    cursor: pointer;
  }
  .figure:not(.size) {
    padding-right: 8px;
    box-shadow: inset 0 0 0 1px var(--color-base-200);
  }
  .all .figure {
    box-shadow: none;
  }
  .figure.tight {
    padding-right: 0;
    text-align: center;
    font-size: 0.6875rem;
    font-weight: 400;
  }
  .woven tbody .figure {
    padding: 0;
    box-shadow: inset 0 0 0 0.5px var(--color-base-200);
  }
  .small {
    margin-right: 4px;
    font-size: 0.6875rem;
  }
</style>
