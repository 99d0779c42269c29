<script lang="ts">
  import { periodName } from '$lib/format/dates';
  import { windowOf } from '$lib/windows';
  import type { Side } from './newness.svelte';
  import { change, exact, partsOf, share, tell, type Newness } from './parts';

  let { answer, onopen }: { answer: Newness; onopen: (at: string, side: Side) => void } = $props();

  const ROW_HEIGHT = 28;
  const HEAD_HEIGHT = 32;
  let height = $state(0);
  let scrolled = $state(0);
  /** The latest period first: that is the one that is asked about. */
  const periods = $derived([...answer.periods].reverse());
  const shown = $derived(windowOf(scrolled, height, ROW_HEIGHT, periods.length));
  const sides: Side[] = ['new', 'returning', 'won_back'];
</script>

<!-- a scrolled table must be reachable by keyboard -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="mt-1 min-h-0 flex-1 overflow-y-auto"
  tabindex="0"
  role="region"
  aria-label="New and returning by {answer.period}"
  bind:clientHeight={height}
  onscroll={(event) => (scrolled = event.currentTarget.scrollTop)}
>
  <table class="w-full" aria-rowcount={periods.length + 1}>
    <thead>
      <tr style:height="{HEAD_HEIGHT}px">
        <th scope="col" class="name">{answer.period}</th>
        <th scope="col">New</th>
        <th scope="col">Returning</th>
        <th scope="col">of these won back</th>
        <th scope="col">In all</th>
        <th scope="col">New, share</th>
        <th scope="col">A year earlier</th>
        <th scope="col">Change</th>
      </tr>
    </thead>
    <tbody>
      {#if shown[0] > 0}<tr aria-hidden="true" style:height="{shown[0] * ROW_HEIGHT}px"></tr>{/if}
      {#each periods.slice(shown[0], shown[1]) as period, offset (period.period)}
        {@const parts = partsOf(period, answer.measure)}
        {@const before = period.last_year ? partsOf(period.last_year, answer.measure).total : null}
        <tr style:height="{ROW_HEIGHT}px" aria-rowindex={shown[0] + offset + 2}>
          <th scope="row" class="name"
            >{periodName(period.period)}{#if period.partial}<span class="quiet">, still running</span
              >{/if}</th
          >
          {#each sides as side (side)}
            <td
              ><button class="hover:underline" onclick={() => onopen(period.period, side)}
                >{exact(period, answer.measure, side as 'new' | 'returning' | 'won_back')}</button
              ></td
            >
          {/each}
          <td
            ><button class="font-semibold hover:underline" onclick={() => onopen(period.period, 'all')}
              >{tell(parts.total, answer.measure)}</button
            ></td
          >
          <td>{share(parts.new, parts.total)}</td>
          <td class="quiet">{before === null ? '—' : tell(before, answer.measure)}</td>
          <td class="quiet">{before === null ? '—' : change(parts.total, before)}</td>
        </tr>
      {/each}
      {#if shown[1] < periods.length}
        <tr aria-hidden="true" style:height="{(periods.length - shown[1]) * ROW_HEIGHT}px"></tr>
      {/if}
    </tbody>
  </table>
</div>

<style>
  th,
  td {
    padding: 0 10px;
    text-align: right;
    white-space: nowrap;
  }
  th {
    font-weight: 400;
    color: var(--color-neutral);
  }
  th.name {
    text-align: left;
    color: var(--color-base-content);
  }
  thead th {
    position: sticky;
    top: 0;
    background: var(--color-base-200);
    border-bottom: 2px solid var(--gold);
  }
  tbody tr > * {
    border-bottom: 1px solid var(--color-base-300);
  }
  thead th.name {
    text-transform: capitalize;
    color: var(--color-neutral);
  }
</style>
