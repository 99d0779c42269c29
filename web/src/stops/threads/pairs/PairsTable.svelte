<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import { addressed } from '$src/table/addressed';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { narrow, openCustomer } from '../opening';

  type Row = Schemas['PairRowShape'];
  interface Props {
    rows: Rows<Row>;
    answer: Schemas['PairsShape'];
  }
  let { rows, answer }: Props = $props();
  const rowTitle = $derived(answer.sentence.find((part) => part.control === 'rows')?.text ?? '');

  const ROW = 190;
  const DATE = 110;
  const SPAN = 210;

  const pairOf = (row: Row, column: number) => row.pairs.find((pair) => pair.column === column);

  function said(row: Row, column: number): string {
    const pair = pairOf(row, column);
    if (!pair) return '—';
    if (answer.extreme === 'earliest' || (answer.extreme === 'both' && pair.latest === pair.earliest))
      return date(pair.earliest);
    if (answer.extreme === 'latest') return date(pair.latest);
    return `${date(pair.earliest)} to ${date(pair.latest)}`;
  }

  function opens(row: Row, column: number): (() => void) | null {
    if (!pairOf(row, column)) return null;
    const { customer } = row;
    return customer === null
      ? () => narrow(`${row.open} AND ${answer.opens[column]}`)
      : () => openCustomer(customer);
  }

  const columns = $derived<Column<Row>[]>([
    {
      name: 'row',
      sorts: 'row',
      title: rowTitle,
      width: ROW,
      names: true,
      strong: true,
      text: (row) => row.label || 'blank',
      whole: (row) => row.label,
    },
    ...answer.columns.map((column, at) => ({
      name: `${at} ${column}`,
      sorts: String(at + 1),
      title: column || 'blank',
      width: answer.extreme === 'both' ? SPAN : DATE,
      text: (row: Row) => said(row, at),
      whole: (row: Row) => counted(pairOf(row, at)?.orders ?? 0, 'order'),
      open: (row: Row) => opens(row, at),
    })),
    { name: 'rest', title: '', text: () => '' },
  ]);
</script>

<DataTable
  label="Earliest and latest orders by {rowTitle}"
  {columns}
  count={answer.count}
  row={rows.row}
  want={rows.want}
  take={rows.take}
  sequence={addressed}
  question={answer.sentence.map((part) => part.text).join('')}
  empty="No order meets what the reading line asks for. Change a word of it."
/>
