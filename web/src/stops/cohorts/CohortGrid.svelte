<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName, shortPeriodName } from '$lib/format/dates';
  import { count, rounded } from '$lib/format/figures';
  import { isTyping } from '$lib/keys';
  import { ALL, type Opened } from './cohorts.svelte';
  import {
    ALL_HEIGHT,
    HEAD_HEIGHT,
    LABEL_WIDTH,
    SIZE_WIDTH,
    WOVEN_GAP,
    allText,
    allValues,
    cellText,
    firstAge,
    ramp,
    valueOf,
    windowOf,
    type Fit,
  } from './grid';

  export interface Pointed {
    /** −1 is the row over all cohorts. */
    row: number;
    age: number;
  }

  interface Props {
    answer: Schemas['CohortsShape'];
    fit: Fit;
    room: { width: number; height: number };
    opened: Opened | null;
    pointed: Pointed | null;
    onpoint: (at: Pointed | null) => void;
    onopen: (cohort: string, age: number) => void;
  }
  let { answer, fit, room, opened, pointed, onpoint, onopen }: Props = $props();

  let box: HTMLElement;
  let scrollTop = $state(0);
  let scrollLeft = $state(0);
  const first = $derived(firstAge(answer));
  const columns = $derived(Math.max(0, answer.ages_shown - first));
  const colours = $derived(ramp(answer));
  const rows = $derived(windowOf(scrollTop, room.height, fit.rowHeight, answer.cohorts.length));
  const ages = $derived(
    windowOf(scrollLeft, room.width, fit.cellWidth, columns).map((at) => at + first) as [number, number],
  );
  const shownAges = $derived(Array.from({ length: Math.max(0, ages[1] - ages[0]) }, (_, at) => ages[0] + at));
  const labelEvery = $derived(fit.woven ? Math.max(1, Math.ceil(13 / fit.rowHeight)) : 1);
  const ageEvery = $derived(fit.cellWidth >= 24 ? 1 : fit.cellWidth >= 12 ? 3 : 6);

  function labelOf(cohort: string, row: number): string {
    if (!fit.woven || labelEvery === 1) return shortPeriodName(cohort, row === 0);
    const begins = /-(01|Q1|W01)$/.test(cohort) || row === 0;
    return begins ? periodName(cohort) : '';
  }

  /** The totals in the first form that fits every column; the line under the table tells them exactly. */
  const totals = $derived.by(() => {
    const room = (fit.cellWidth - 4) / (fit.cellWidth < 24 ? 4.9 : 7.2);
    const exact = allValues(answer).map((_, age) => allText(answer, age, fit.cellWidth < 40));
    const rough = allValues(answer).map((value) => rounded(value ?? 0));
    const fits = (texts: string[]) => texts.slice(first).every((text) => text.length <= Math.ceil(room));
    return fits(exact) ? exact : answer.figure !== 'retention' && fits(rough) ? rough : [];
  });

  function at(event: Event): Pointed | null {
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-age]');
    return cell ? { row: Number(cell.dataset['row']), age: Number(cell.dataset['age']) } : null;
  }

  function open(where: Pointed | null): void {
    if (!where) return;
    const cohort = where.row < 0 ? ALL : answer.cohorts[where.row]?.cohort;
    if (cohort) onopen(cohort, where.age);
  }

  function pressed(event: KeyboardEvent): void {
    if (isTyping(event)) return;
    const now = pointed ?? { row: 0, age: first };
    const steps: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const step = steps[event.key];
    if (event.key === 'Enter') open(pointed);
    else if (step) move(pointed ? { row: now.row + step[0], age: now.age + step[1] } : now);
    else return;
    event.preventDefault();
  }

  function move(to: Pointed): void {
    const row = Math.max(-1, Math.min(answer.cohorts.length - 1, to.row));
    const last = row < 0 ? answer.ages_shown - 1 : (answer.cohorts[row]?.customers.length ?? 1) - 1;
    const age = Math.max(first, Math.min(last, to.age));
    onpoint({ row, age });
    if (!fit.scrolls) return;
    const left = (age - first) * fit.cellWidth;
    const top = row * fit.rowHeight;
    const inner = {
      width: room.width - LABEL_WIDTH - SIZE_WIDTH,
      height: room.height - HEAD_HEIGHT - ALL_HEIGHT,
    };
    if (left < box.scrollLeft) box.scrollLeft = left;
    if (left + fit.cellWidth > box.scrollLeft + inner.width)
      box.scrollLeft = left + fit.cellWidth - inner.width;
    if (top < box.scrollTop) box.scrollTop = top;
    if (top + fit.rowHeight > box.scrollTop + inner.height)
      box.scrollTop = top + fit.rowHeight - inner.height;
  }

  const isOpen = (cohort: string, age: number) => opened?.cohort === cohort && opened.age === String(age);
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
    aria-label="Cohorts by age"
    aria-rowcount={answer.cohorts.length + 2}
    aria-colcount={columns + 2}
    aria-activedescendant={pointed ? `cell-${pointed.row}-${pointed.age}` : undefined}
    style:width="{LABEL_WIDTH + SIZE_WIDTH + columns * fit.cellWidth}px"
    onkeydown={pressed}
    onclick={(event) => open(at(event))}
    onmouseover={(event) => onpoint(at(event) ?? pointed)}
    onfocus={() => onpoint(pointed ?? { row: 0, age: first })}
  >
    <thead>
      <tr aria-rowindex="1" style:height="{HEAD_HEIGHT}px">
        <th scope="col" class="period" style:width="{LABEL_WIDTH}px">First order</th>
        <th scope="col" class="size" style:width="{SIZE_WIDTH}px">Customers</th>
        {#if ages[0] > first}<td aria-hidden="true" style:width="{(ages[0] - first) * fit.cellWidth}px"
          ></td>{/if}
        {#each shownAges as age (age)}
          <th
            scope="col"
            aria-colindex={age - first + 3}
            style:width="{fit.cellWidth}px"
            class:lit={pointed?.age === age}
            >{#if age % ageEvery === 0 || pointed?.age === age || age === first}<span class="age">{age}</span
              >{/if}</th
          >
        {/each}
        {#if ages[1] < first + columns}<td aria-hidden="true"></td>{/if}
      </tr>
      <tr aria-rowindex="2" class="all" style:height="{ALL_HEIGHT}px">
        <th scope="row" class="period">{answer.figure === 'retention' ? 'Average' : 'Total'}</th>
        <td class="size figure" data-row="-1" data-age="0">{count(answer.customers)}</td>
        {#if ages[0] > first}<td aria-hidden="true"></td>{/if}
        {#each shownAges as age (age)}
          <td
            id="cell--1-{age}"
            role="gridcell"
            aria-colindex={age - first + 3}
            data-row="-1"
            data-age={age}
            class="figure"
            class:tight={fit.cellWidth < 24}
            class:open={isOpen(ALL, age)}
            class:cursor={pointed?.row === -1 && pointed.age === age}>{totals[age] ?? ''}</td
          >
        {/each}
        {#if ages[1] < first + columns}<td aria-hidden="true"></td>{/if}
      </tr>
    </thead>
    <tbody>
      {#if fit.woven}<tr aria-hidden="true" style:height="{WOVEN_GAP}px"></tr>{/if}
      {#if rows[0] > 0}<tr aria-hidden="true" style:height="{rows[0] * fit.rowHeight}px"></tr>{/if}
      {#each answer.cohorts.slice(rows[0], rows[1]) as row, offset (row.cohort)}
        {@const place = rows[0] + offset}
        {@const seen = Math.min(ages[1], row.customers.length)}
        <tr aria-rowindex={place + 3} style:height="{fit.rowHeight}px">
          <th scope="row" class="period" class:lit={pointed?.row === place} title={periodName(row.cohort)}>
            <span class="name"
              >{pointed?.row === place && fit.woven
                ? periodName(row.cohort)
                : labelOf(row.cohort, place)}</span
            >
          </th>
          <td class="size" class:lit={pointed?.row === place} data-row={place} data-age="0">
            {#if !fit.woven || labelEvery === 1 || pointed?.row === place || labelOf(row.cohort, place)}
              {#if row.small && !fit.woven}<span class="small">small</span>{/if}<span class="name"
                >{row.size ? count(row.size) : '—'}</span
              >
            {/if}
          </td>
          {#if ages[0] > first}<td aria-hidden="true"></td>{/if}
          {#each shownAges as age (age)}
            {#if row.size > 0 && age < seen}
              <td
                id="cell-{place}-{age}"
                role="gridcell"
                aria-colindex={age - first + 3}
                aria-label={fit.woven ? cellText(answer, row, age, Infinity) : undefined}
                data-row={place}
                data-age={age}
                class="figure ramp-{colours.step(valueOf(answer, row, age))}"
                class:partial={age >= row.complete}
                class:odd={answer.figure === 'retention' && row.odd.includes(age)}
                class:open={isOpen(row.cohort, age)}
                class:cursor={pointed?.row === place && pointed.age === age}
                >{#if !fit.woven}{cellText(answer, row, age, fit.cellWidth)}{/if}</td
              >
            {/if}
          {/each}
          {#if seen < first + columns || row.size === 0}
            <td aria-label="not yet" colspan={Math.max(1, ages[1] - Math.max(seen, ages[0]))}></td>
          {/if}
        </tr>
      {/each}
      {#if rows[1] < answer.cohorts.length}
        <tr aria-hidden="true" style:height="{(answer.cohorts.length - rows[1]) * fit.rowHeight}px"></tr>
      {/if}
    </tbody>
  </table>
</div>

<style>
  .box {
    width: 100%;
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
  .cursor {
    outline: 2px solid var(--color-base-content);
    outline-offset: -2px;
  }
  .open {
    outline: 3px solid var(--gold);
    outline-offset: -2px;
  }
</style>
