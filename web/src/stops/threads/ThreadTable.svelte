<script lang="ts">
  import { said } from '$lib/format/reader';
  import type { Schemas } from '$lib/api/client';
  import { cell as written, isFigure } from '$lib/format/cells';
  import { date } from '$lib/format/dates';
  import type { Rows } from '$lib/answer.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';

  type List = Schemas['ListShape'];
  type Row = List['rows'][number];
  interface Props {
    rows: Rows<Row>;
    answer: List;
    /** The view whose list it is. */
    name: string;
    /** Beside an open customer there is room for the name, the thread and one field. */
    narrow: boolean;
    opened: number | null;
    onopen: (customer: number) => void;
  }
  let { rows, answer: list, name, narrow, opened, onopen }: Props = $props();

  const NAME = 190;
  const CELL = 112;
  const NARROW_CELL = 92;
  const ORDER = 110;
  const SHORTEST = 130;
  /** The name stands in the first column anyway. */
  const places = $derived(list.by.name === 'name' ? [] : [0]);
  const fields = $derived([
    ...places.map((place) => ({ field: list.by, place })),
    ...(narrow
      ? []
      : list.columns.flatMap((field, at) => (field.name === list.by.name ? [] : [{ field, place: at + 1 }]))),
  ]);
  const withOrder = $derived(name !== 'customers' && !narrow);

  function beside(width: number) {
    const room = width - NAME - (withOrder ? ORDER : 0) - SHORTEST;
    const cell = narrow ? NARROW_CELL : Math.min(CELL, Math.max(76, room / Math.max(1, fields.length)));
    return [
      ...(withOrder
        ? [
            {
              name: 'order',
              title: name === 'backdated' ? 'Backdated' : 'Order',
              width: ORDER,
              text: (row: Row) => row.orders.map((order) => order.number).join(', '),
              whole: (row: Row) =>
                row.orders.map((order) => `${order.source} ${order.number}, ${date(order.date)}`).join('; '),
            },
          ]
        : []),
      ...fields.map(({ field, place }) => ({
        name: `field ${field.name}`,
        title: field.title,
        sorts: field.name,
        width: cell,
        right: isFigure(field.kind),
        text: (row: Row) => written(row.cells[place] ?? null, field.kind),
      })),
    ];
  }
</script>

<ThreadRows
  label={said(list.words)}
  {rows}
  answer={list}
  {beside}
  plain={name === 'customers'}
  nameWidth={NAME}
  shortest={SHORTEST}
  empty="Nobody meets what the reading line and the question ask for. Change a word of either."
  {onopen}
  {opened}
/>
