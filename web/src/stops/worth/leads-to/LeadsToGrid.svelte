<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, percent } from '$lib/format/figures';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { question } from '$lib/question.svelte';
  import { partOf } from './parts';

  type LeadsTo = Schemas['LeadsToShape'];
  type Row = LeadsTo['firsts'][number];
  type Cell = Row['cells'][number];
  let { answer }: { answer: LeadsTo } = $props();

  const STEPS = 10;
  const columns = $derived<Column<Row>[]>([
    { name: 'first', title: 'First order mainly of', width: 180, names: true, text: (row) => row.label },
    { name: 'customers', title: 'Customers', width: 92, right: true, text: (row) => count(row.customers) },
    { name: 'again', title: 'ordered again', width: 120, right: true },
    ...answer.columns.map((title, at) => ({ name: String(at), title, width: 120, right: true })),
    { name: 'rest', title: '', text: () => '' },
  ]);
  const cellOf = (row: Row, column: Column<Row>): Cell | undefined =>
    column.name === 'again' ? row.again : row.cells[Number(column.name)];
  const tone = (share: number) => Math.min(STEPS - 1, Math.floor(share * STEPS));
  const laterOf = (column: Column<Row>) =>
    column.name === 'again' ? [] : [answer.columns[Number(column.name)] ?? ''];
  const opened = $derived(question.opened.join('~'));
</script>

<DataTable
  label="What share of those who began with a category came to another"
  {columns}
  all={answer.firsts}
  rowHeight={46}
  headHeight={32}
  question={answer.sentence.map((part) => part.text).join('')}
  empty="No order has lines: import a file that gives them line by line."
>
  {#snippet head(column)}{column.title}{/snippet}
  {#snippet cell(row, column)}
    {@const found = cellOf(row, column)}
    {#if found}
      <button
        class="cell ramp-{tone(found.share)}"
        class:ringed={opened === [row.label, ...laterOf(column)].map(partOf).join('~')}
        title="{found.customers} of {row.customers} customers"
        onclick={() => question.open(...[row.label, ...laterOf(column)].map(partOf))}
        ><strong>{percent(found.share)} %</strong><small>{percent(found.low)} to {percent(found.high)}</small
        ></button
      >
    {/if}
  {/snippet}
</DataTable>

<style>
  .cell {
    display: flex;
    width: 100%;
    height: 40px;
    flex-direction: column;
    align-items: flex-end;
    justify-content: center;
    padding: 0 8px;
    line-height: 1.15;
  }
  .cell small {
    font-size: 11.5px;
  }
  .cell.ringed {
    outline: 2px solid var(--color-base-content);
    outline-offset: -2px;
    box-shadow: inset 0 0 0 3px var(--color-base-100);
  }
</style>
