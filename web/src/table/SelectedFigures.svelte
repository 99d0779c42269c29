<script lang="ts" generics="Row">
  import type { Cells } from '$lib/cells';
  import { count, counted } from '$lib/format/figures';
  import { MOST_COPIED, type Column } from './column';
  import { summed } from './summed';

  interface Props {
    columns: Column<Row>[];
    /** The first and the last row that are selected. */
    selected: [number, number];
    /** The columns that say something, and what they say in these rows, up to a bound. */
    saying: Column<Row>[];
    take: () => Promise<Cells>;
  }
  let { columns, selected, saying, take }: Props = $props();

  let cells = $state.raw<Cells | null>(null);
  $effect(() => {
    void selected;
    let isWanted = true;
    void take().then((taken) => {
      if (isWanted) cells = taken;
    });
    return () => (isWanted = false);
  });
  const found = $derived(
    columns.map((column) => {
      const at = saying.indexOf(column);
      return column.right && at >= 0 ? summed((cells?.rows ?? []).map((row) => row[at] ?? '')) : undefined;
    }),
  );
  const rows = $derived(selected[1] - selected[0] + 1);
  const whole = $derived(
    rows > MOST_COPIED ? `the first ${count(MOST_COPIED)} of ${count(rows)} rows` : counted(rows, 'row'),
  );
  const lines = $derived([
    ['sum', `Sum of ${whole}`],
    ['mean', 'Mean'],
    ['median', 'Median'],
  ] as const);
</script>

<tfoot class="not-printed" data-testid="selected-figures">
  {#each lines as [name, title] (name)}
    <tr>
      {#each columns as column, at (column.name)}
        {#if at === 0}
          <th
            scope="row"
            title="Of the figures as they are shown, without blank cells. Whoever stands in several rows is in the sum several times."
            >{title}</th
          >
        {:else}
          {@const figure = found[at]}
          <td
            class="right"
            title={figure && figure.count < rows ? `${count(figure.count)} have a figure` : undefined}
            >{figure?.[name] ?? ''}</td
          >
        {/if}
      {/each}
    </tr>
  {/each}
</tfoot>

<style>
  tfoot {
    position: sticky;
    bottom: 0;
    z-index: 2;
    color: var(--color-base-content);
  }
  tfoot :is(th, td) {
    background: color-mix(in oklab, var(--gold) 16%, var(--table-ground, var(--color-base-200)));
    height: 26px;
    overflow: visible;
  }
  tfoot th {
    position: sticky;
    left: 0;
  }
  tfoot tr:first-child > * {
    border-top: 1px solid var(--gold);
  }
</style>
