<script lang="ts">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { untrack } from 'svelte';
  import type { Schemas } from '$lib/api/client';
  import { isTyping } from '$lib/commands.svelte';
  import { periodName } from '$lib/format/dates';
  import { eventsOver } from '$lib/periods';
  import { printing } from '$lib/printing.svelte';
  import CohortFoot from './CohortFoot.svelte';
  import CohortRow from './CohortRow.svelte';
  import GridLights from './GridLights.svelte';
  import NotedCells from './NotedCells.svelte';
  import OpenedRing from './OpenedRing.svelte';
  import './grid.css';
  import { headLabel } from './gridCells';
  import { columnAt, ledTo } from './gridKeys';
  import {
    BACK_WIDTH,
    FOOT_HEIGHT,
    HEAD_HEIGHT,
    LABEL_WIDTH,
    LEFT_WIDTH,
    SIZE_WIDTH,
    columnCount,
    firstAge,
    firstColumn,
    ramp,
    type Fit,
  } from './gridLayout';
  import { cellId, type Pointed } from './pointed';
  import { ALL } from './table.svelte';

  interface Props {
    answer: Schemas['CohortsShape'];
    fit: Fit;
    room: { width: number; height: number };
    /** The parts of what is opened: a cohort, an age, a group. */
    opened: string[];
    pointed: Pointed | null;
    onpoint: (at: Pointed | null) => void;
    onopen: (cohort: string, age: number | string) => void;
  }
  let { answer, fit, room, opened, pointed, onpoint, onopen }: Props = $props();

  const OVERSCAN = 4;
  let box = $state<HTMLElement | null>(null);
  const first = $derived(firstColumn(answer));
  const columns = $derived(columnCount(answer));
  const tones = $derived(ramp(answer));
  /** The room of the cells: head, foot and the columns at the left stay where they are. */
  const inner = $derived({ width: room.width - LEFT_WIDTH, height: room.height - HEAD_HEIGHT - FOOT_HEIGHT });
  /** Along one side of a table that is scrolled: which of its lines are in sight, the first and the one after the last. */
  const windowed = (horizontal: boolean) =>
    createVirtualizer<HTMLElement, HTMLElement>({
      horizontal,
      count: 0,
      getScrollElement: () => box,
      estimateSize: () => 1,
      overscan: OVERSCAN,
    });
  const [down, along] = [windowed(false), windowed(true)];
  $effect(() => {
    const { rowHeight, cellWidth } = fit;
    const [rowCount, cellCount] = [answer.cohorts.length, columns];
    if (!box || !fit.scrolls) return;
    untrack(() => {
      $down.setOptions({ count: rowCount, estimateSize: () => rowHeight, paddingStart: HEAD_HEIGHT });
      $along.setOptions({ count: cellCount, estimateSize: () => cellWidth, paddingStart: LEFT_WIDTH });
      for (const each of [$down, $along]) each.measure();
    });
  });
  const isWhole = $derived(!fit.scrolls || printing.now);
  function inSight(items: { index: number }[], count: number): [number, number] {
    return isWhole ? [0, count] : [items[0]?.index ?? 0, Math.min(count, (items.at(-1)?.index ?? -1) + 1)];
  }
  const rows = $derived(inSight($down.getVirtualItems(), answer.cohorts.length));
  const shown = $derived(
    inSight($along.getVirtualItems(), columns).map((at) => at + first) as [number, number],
  );
  const shownColumns = $derived(
    Array.from({ length: Math.max(0, shown[1] - shown[0]) }, (_, at) => shown[0] + at),
  );
  const events = $derived(
    new Map(eventsOver(answer.periods, answer).map(({ place, labels }) => [place, labels])),
  );
  const pointedColumn = $derived(pointed && !pointed.part ? columnAt(answer, pointed) : -1);

  function at(event: Event): Pointed | null {
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-age], [data-part]');
    const row = cell?.closest<HTMLElement>('[data-row]')?.dataset['row'];
    if (!cell || row === undefined) return null;
    const part = cell.dataset['part'];
    if (part === 'customers' || part === 'back') return { row: Number(row), age: 0, part };
    return { row: Number(row), age: Number(cell.dataset['age']) };
  }

  function open(where: Pointed | null): void {
    if (!where) return;
    const cohort = where.row < 0 ? ALL : answer.cohorts[where.row]?.cohort;
    if (!cohort) return;
    const inPeriod = where.row < 0 && answer.by_calendar && !where.part;
    onopen(cohort, where.part === 'back' ? ALL : inPeriod ? (answer.periods[where.age] ?? ALL) : where.age);
  }

  function pressed(event: KeyboardEvent): void {
    if (isTyping(event)) return;
    const now = pointed ?? { row: 0, age: firstAge(answer) };
    const next = ledTo(answer, now, event.key);
    if (event.key === 'Enter') open(pointed);
    else if (next) move(pointed ? next : now);
    else return;
    event.preventDefault();
  }

  function move(to: Pointed): void {
    onpoint(to);
    if (!fit.scrolls || !box) return;
    const left = to.part ? 0 : (columnAt(answer, to) - first) * fit.cellWidth;
    if (left < box.scrollLeft) box.scrollLeft = left;
    if (left + fit.cellWidth > box.scrollLeft + inner.width)
      box.scrollLeft = left + fit.cellWidth - inner.width;
    if (to.row < 0) return;
    const top = to.row * fit.rowHeight;
    if (top < box.scrollTop) box.scrollTop = top;
    if (top + fit.rowHeight > box.scrollTop + inner.height)
      box.scrollTop = top + fit.rowHeight - inner.height;
  }

  /** The place of what is opened, where the table shows it. */
  const openedAt = $derived.by((): Pointed | null => {
    const [first, age, group] = opened;
    if (age === undefined || group || age === ALL) return null;
    const row = first === ALL ? -1 : answer.cohorts.findIndex(({ cohort }) => cohort === first);
    if (row === -1 && first !== ALL) return null;
    return { row, age: row < 0 && answer.by_calendar ? answer.periods.indexOf(age) : Number(age) };
  });
</script>

<div
  bind:this={box}
  class="relative w-full"
  class:overflow-auto={fit.scrolls && !printing.now}
  style:max-height={printing.now ? undefined : `${room.height}px`}
>
  <table
    role="grid"
    tabindex="0"
    class="cohorts"
    class:woven={fit.woven}
    class:scrolls={fit.scrolls}
    class:close={!fit.woven && (fit.cellWidth < 40 || fit.rowHeight < 22)}
    aria-label={answer.by_calendar ? 'Cohorts by calendar period' : 'Cohorts by age'}
    aria-rowcount={answer.cohorts.length + 2}
    aria-colcount={columns + 3}
    aria-activedescendant={pointed ? cellId(pointed) : undefined}
    style:width="{LEFT_WIDTH + columns * fit.cellWidth}px"
    onkeydown={pressed}
    onclick={(event) => open(at(event))}
    onpointerover={(event) => onpoint(at(event) ?? pointed)}
    onpointerleave={() => onpoint(null)}
    onfocus={() => onpoint(pointed ?? { row: 0, age: firstAge(answer) })}
  >
    <thead>
      <tr aria-rowindex={1} style:height="{HEAD_HEIGHT}px">
        <th scope="col" class="period" style:width="{LABEL_WIDTH}px">First order</th>
        <th scope="col" class="size" style:width="{SIZE_WIDTH}px">Customers</th>
        <th
          scope="col"
          class="size"
          style:width="{BACK_WIDTH}px"
          title="Customers with an order at any later age, counted afresh: not the sum of the cells, because one customer can come back at many ages."
          ><span class="text-xs">Came back</span></th
        >
        {#if shown[0] > first}<td aria-hidden="true" style:width="{(shown[0] - first) * fit.cellWidth}px"
          ></td>{/if}
        {#each shownColumns as column (column)}
          {@const label = headLabel(answer, column, fit, pointedColumn === column)}
          <th
            scope="col"
            aria-colindex={column - first + 4}
            style:width="{fit.cellWidth}px"
            class:event={answer.by_calendar && events.has(column)}
            title={answer.by_calendar
              ? [periodName(answer.periods[column] ?? ''), ...(events.get(column) ?? [])].join(' · ')
              : undefined}
            >{#if label}<span class="age" class:lit={pointedColumn === column}>{label}</span>{/if}</th
          >
        {/each}
        {#if shown[1] < first + columns}<td aria-hidden="true"></td>{/if}
      </tr>
    </thead>
    <tbody>
      {#if rows[0] > 0}<tr aria-hidden="true" style:height="{rows[0] * fit.rowHeight}px"></tr>{/if}
      {#each answer.cohorts.slice(rows[0], rows[1]) as row, offset (row.cohort)}
        {@const place = rows[0] + offset}
        <CohortRow
          {answer}
          {row}
          {place}
          {fit}
          {tones}
          {shown}
          isLit={pointed?.row === place}
          events={events.get(place)}
        />
      {/each}
      {#if rows[1] < answer.cohorts.length}
        <tr aria-hidden="true" style:height="{(answer.cohorts.length - rows[1]) * fit.rowHeight}px"></tr>
      {/if}
    </tbody>
    <CohortFoot
      {answer}
      {fit}
      {shown}
      {pointedColumn}
      isPointed={pointed !== null && pointed.row < 0}
      openedColumn={openedAt && openedAt.row < 0 ? openedAt.age : null}
      onopen={(column) => open({ row: -1, age: column })}
    />
  </table>
  <NotedCells {answer} {fit} />
  {#if pointed}<GridLights {answer} {fit} {pointed} />{/if}
  {#if openedAt && openedAt.row >= 0}<OpenedRing {answer} {fit} at={openedAt} />{/if}
</div>
