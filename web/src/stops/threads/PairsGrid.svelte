<script lang="ts" module>
  export const LIMIT = 100;
</script>

<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';

  interface Props {
    answer: Schemas['PairsShape'];
    rowTitle: string;
    onmore: (offset: number) => void;
    onnarrow: (condition: string) => void;
    onopen: (customer: number) => void;
  }
  let { answer, rowTitle, onmore, onnarrow, onopen }: Props = $props();
  const both = $derived(answer.extreme === 'both');
  const pages = $derived(Math.ceil(answer.count / LIMIT));
  const page = $derived(Math.floor(answer.offset / LIMIT));

  function pairOf(row: Schemas['PairRowShape'], column: number): Schemas['PairShape'] | undefined {
    return row.pairs.find((pair) => pair.column === column);
  }

  function opened(row: Schemas['PairRowShape'], column: number): void {
    if (row.customer !== null) onopen(row.customer);
    else onnarrow(`${row.open} AND ${answer.opens[column]}`);
  }
</script>

<div class="min-h-0 flex-1 overflow-auto">
  <table>
    <thead class="quiet text-left text-sm">
      <tr>
        <th class="corner">{rowTitle}</th>
        {#each answer.columns as column (column)}<th>{column || 'not told'}</th>{/each}
      </tr>
    </thead>
    <tbody>
      {#each answer.rows as row, at (at)}
        <tr>
          <th class="corner max-w-56 truncate text-left font-semibold" title={row.label}
            >{row.label || 'not told'}</th
          >
          {#each answer.columns as column, place (column)}
            {@const pair = pairOf(row, place)}
            <td>
              {#if pair}
                <button title={counted(pair.orders, 'order')} onclick={() => opened(row, place)}>
                  {#if answer.extreme !== 'latest'}<span>{date(pair.earliest)}</span>{/if}
                  {#if !both || pair.latest !== pair.earliest}
                    {#if answer.extreme !== 'earliest'}<span class:quiet={both}
                        >{both ? 'to ' : ''}{date(pair.latest)}</span
                      >{/if}
                  {/if}
                </button>
              {:else}<span class="quiet">—</span>{/if}
            </td>
          {/each}
        </tr>
      {:else}
        <tr><td class="quiet py-3">No order meets what the reading line asks for.</td></tr>
      {/each}
    </tbody>
  </table>
</div>
{#if pages > 1}
  <p class="flex items-center gap-3 pt-2 text-sm">
    <button class="btn btn-xs" disabled={page === 0} onclick={() => onmore((page - 1) * LIMIT)}
      >Earlier rows</button
    >
    rows {count(answer.offset + 1)} to {count(answer.offset + answer.rows.length)} of {count(answer.count)}
    <button class="btn btn-xs" disabled={page >= pages - 1} onclick={() => onmore((page + 1) * LIMIT)}
      >Further rows</button
    >
  </p>
{/if}

<style>
  th,
  td {
    padding: 4px 18px 4px 0;
    border-bottom: 1px solid color-mix(in oklab, var(--color-base-300) 60%, transparent);
    white-space: nowrap;
  }
  thead th {
    position: sticky;
    top: 0;
    background: var(--color-base-200);
  }
  .corner {
    position: sticky;
    left: 0;
    background: var(--color-base-200);
  }
  button {
    cursor: pointer;
    text-align: left;
  }
  td button:hover {
    text-decoration: underline dotted var(--gold);
  }
</style>
