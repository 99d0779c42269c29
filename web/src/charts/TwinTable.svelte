<script lang="ts">
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import type { TwinRow } from './twin';

  interface Props {
    label: string;
    /** What the rows are, and what the columns are. */
    first: string;
    titles: string[];
    rows: TwinRow[];
  }
  let { label, first, titles, rows }: Props = $props();
  const columns = $derived<Column<TwinRow>[]>([
    {
      name: 'first',
      title: first,
      width: 150,
      names: true,
      text: (row) => row.name,
      value: (row) => rows.indexOf(row),
    },
    ...titles.map((title, at) => ({
      name: `${at} ${title}`,
      title,
      width: 100,
      right: true,
      text: (row: TwinRow) => row.cells[at]?.text ?? '—',
      open: (row: TwinRow) => row.cells[at]?.open ?? null,
    })),
    { name: 'rest', title: '', text: () => '' },
  ]);
</script>

<DataTable {label} {columns} all={rows} rowHeight={28} />
