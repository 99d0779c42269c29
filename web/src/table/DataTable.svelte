<script lang="ts" generics="Row">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { onMount, untrack, type Snippet } from 'svelte';
  import { asksToCopy, captionHere, copyCells, giveCells, type Cells } from '$lib/cells';
  import { isTyping } from '$lib/commands.svelte';
  import { count as counted } from '$lib/format/figures';
  import { MOST_PRINTED, printing } from '$lib/printing.svelte';
  import { addressed } from './addressed';
  import SelectedFigures from './SelectedFigures.svelte';
  import { figureIn } from './summed';
  import { inSequence, MOST_COPIED, MOST_ROWS, stepped, type Column, type Sequence } from './column';

  interface Props {
    label: string;
    columns: Column<Row>[];
    /** All rows, where they are here: they can be put in sequence by any column. */
    all?: readonly Row[];
    /** Rows that stay last in every sequence. */
    isLast?: (row: Row) => boolean;
    /** How many there are of a long list, and a row of it, once it is here. */
    count?: number;
    row?: (at: number) => Row | undefined;
    /** Rows of a long list, fetched if need be. */
    take?: ((from: number, to: number) => Promise<Row[]>) | undefined;
    /** In which sequence a long list is; it is asked for anew in another one. */
    sequence?:
      | (Sequence & { onsort: (by: string, isFigure: boolean) => void; can: (by: string) => boolean })
      | undefined;
    rowHeight?: number;
    headHeight?: number;
    /** Called with the rows that are shown, so that they can be fetched. */
    want?: (from: number, to: number) => void;
    /** A row is opened by a click, or by Enter at the cursor. */
    onopen?: (row: Row) => void;
    isOpened?: (row: Row) => boolean;
    /** Another question begins at the top; the same one after a change stays where it is. */
    question?: string;
    empty?: string;
    looks?: (row: Row, at: number) => string;
    /** What stands in a head or a cell that is more than text. */
    head?: Snippet<[Column<Row>]>;
    cell?: Snippet<[Row, Column<Row>]>;
    /** Stands under a row that has it. */
    detail?: Snippet<[Row]>;
    hasDetail?: (row: Row) => boolean;
    foot?: Snippet;
    width?: number;
  }
  let {
    label,
    columns,
    all,
    isLast,
    count: given = 0,
    row: found,
    take,
    sequence,
    rowHeight = 31,
    headHeight = 30,
    want,
    onopen,
    isOpened,
    question = label,
    empty = '',
    looks,
    head,
    cell,
    detail,
    hasDetail,
    foot,
    width = $bindable(0),
  }: Props = $props();

  /** What a column says, as a figure where it is one. */
  const valueOf = (column: Column<Row>) => (row: Row) => {
    if (column.value) return column.value(row);
    const text = column.text?.(row) ?? '';
    if (text === '—' || text === '') return null;
    const { figure } = figureIn(text);
    return figure === undefined ? text : Number(figure);
  };
  /** By which column all rows stand, as the address says. */
  const sorted = $derived.by((): Sequence | undefined => {
    return all && columns.some(({ name }) => name === addressed.by) ? addressed : undefined;
  });
  const rows = $derived.by(() => {
    const column = columns.find(({ name }) => name === sorted?.by);
    if (!all || !sorted || !column) return all ?? [];
    const last = isLast ? all.filter(isLast) : [];
    return [
      ...inSequence(isLast ? all.filter((each) => !isLast(each)) : all, valueOf(column), sorted.down),
      ...last,
    ];
  });
  const count = $derived(all ? all.length : given);
  const row = (at: number) => (all ? rows[at] : found?.(at));

  /** Whether a click on a head puts rows in sequence, and in which they stand by it. */
  function sequenceOf(column: Column<Row>): 'ascending' | 'descending' | 'none' | undefined {
    const by = all ? column.name : column.sorts;
    const now = all ? sorted : sequence;
    if (by === undefined || !column.title || (all ? !column.text && !column.value : !sequence?.can(by)))
      return undefined;
    return now?.by === by ? (now.down ? 'descending' : 'ascending') : 'none';
  }

  function sort(column: Column<Row>): void {
    const isFigure = column.right ?? false;
    if (all) addressed.onsort(column.name, isFigure);
    else sequence?.onsort(column.sorts ?? '', isFigure);
  }

  /** Widths that somebody dragged, by column. */
  let widths = $state<Record<string, number>>({});
  const LEAST_WIDTH = 40;
  const WIDTH_STEP = 16;
  const LETTER = 7.7;
  const PADDING = 18;
  /** The room that the figures in sight need; it never shrinks, so that nothing jumps. */
  const needed = new Map<string, number>();
  const figures = $derived.by(() => {
    for (const column of columns)
      for (const at of column.right && column.text ? shown : []) {
        const each = row(at);
        const room = each === undefined ? 0 : (column.text?.(each).length ?? 0) * LETTER + PADDING;
        if (room > (needed.get(column.name) ?? 0)) needed.set(column.name, room);
      }
    return new Map(needed);
  });
  /** Figures are never cut: a column is as wide as they are. */
  const widthOf = (column: Column<Row>) =>
    widths[column.name] ??
    (column.width === undefined ? undefined : Math.max(column.width, figures.get(column.name) ?? 0));

  function widen(column: Column<Row>, head: HTMLElement, by: number): void {
    const now = widthOf(column) ?? head.getBoundingClientRect().width;
    widths = { ...widths, [column.name]: Math.max(LEAST_WIDTH, now + by) };
  }

  function dragged(event: PointerEvent & { currentTarget: HTMLElement }, column: Column<Row>): void {
    const head = event.currentTarget.closest('th');
    if (head && event.currentTarget.hasPointerCapture(event.pointerId)) widen(column, head, event.movementX);
  }

  function keyedWidth(event: KeyboardEvent & { currentTarget: HTMLElement }, column: Column<Row>): void {
    const by = { ArrowLeft: -WIDTH_STEP, ArrowRight: WIDTH_STEP }[event.key];
    const head = event.currentTarget.closest('th');
    if (by === undefined || !head) return;
    event.preventDefault();
    event.stopPropagation();
    widen(column, head, by);
  }

  const OVERSCAN = 8;
  const uid = $props.id();
  let box = $state<HTMLElement | null>(null);
  const most = $derived(Math.min(count, MOST_ROWS));
  let cursor = $derived.by(() => {
    void question;
    return 0;
  });
  const name = $derived(label.replace(/\.$/, ''));
  const narrowest = $derived(
    columns.reduce((sum, column) => sum + (widthOf(column) ?? column.least ?? 120), 0),
  );

  /** The other end of the rows that are selected; the cursor is one. */
  let anchor = $state<number | null>(null);
  const selected = $derived<[number, number] | undefined>(
    anchor === null || anchor === cursor ? undefined : [Math.min(anchor, cursor), Math.max(anchor, cursor)],
  );
  let told = $state('');
  /** The columns that say something in a text. */
  const saying = $derived(columns.filter((column) => column.text ?? column.copied));
  const caption = captionHere();

  /** The rows that are selected, else all of them up to a bound, as cells. */
  async function cells(): Promise<Cells> {
    const [from, until] = selected ?? [0, Math.min(count, MOST_COPIED) - 1];
    const to = Math.min(until + 1, from + MOST_COPIED);
    const taken = all ? rows.slice(from, to) : take ? await take(from, to) : [];
    return {
      titles: saying.map((column) => column.title),
      rows: taken.map((each) => saying.map((column) => (column.text ?? column.copied)?.(each) ?? '')),
    };
  }

  async function copy(): Promise<void> {
    const done = await copyCells([...caption(), name], cells());
    told = count > MOST_COPIED && !selected ? `${done} Download the table for all ${counted(count)}.` : done;
  }
  const give = giveCells();
  onMount(() => {
    give(cells);
    return () => give(undefined);
  });

  const virtualizer = createVirtualizer<HTMLElement, HTMLElement>({
    count: 0,
    getScrollElement: () => box,
    estimateSize: () => rowHeight,
    overscan: OVERSCAN,
  });
  $effect(() => {
    const options = { count: most, estimateSize: () => rowHeight, scrollPaddingStart: headHeight };
    if (box) untrack(() => $virtualizer).setOptions(options);
  });
  const items = $derived($virtualizer.getVirtualItems());
  const from = $derived(printing.now ? 0 : (items[0]?.index ?? 0));
  const to = $derived(
    printing.now ? Math.min(most, MOST_PRINTED) : Math.min(most, (items.at(-1)?.index ?? -1) + 1),
  );
  const shown = $derived(Array.from({ length: Math.max(0, to - from) }, (_, at) => from + at));

  $effect(() => want?.(from, to));
  $effect(() => {
    void question;
    if (box) box.scrollTop = 0;
  });
  onMount(() => {
    const wanted = () => Math.min(most, MOST_PRINTED);
    return printing.needs({
      fetch: async () => take?.(0, wanted()),
      isDrawn: () =>
        (box?.querySelectorAll('tbody > tr[id]').length ?? 0) >= wanted() && row(wanted() - 1) !== undefined,
    });
  });

  function pressed(event: KeyboardEvent): void {
    if (asksToCopy(event)) {
      event.preventDefault();
      event.stopPropagation();
      void copy();
      return;
    }
    if (isTyping(event) || (!onopen && !event.shiftKey)) return;
    const next = stepped(event.key, cursor, most);
    if (event.key === 'Enter' && event.target === event.currentTarget) {
      const at = row(cursor);
      if (at) onopen?.(at);
    } else if (next !== undefined) {
      event.preventDefault();
      anchor = event.shiftKey ? (anchor ?? cursor) : null;
      cursor = next;
      $virtualizer.scrollToIndex(next);
      const at = isOpened && shown.some((each) => opened(each)) ? row(next) : undefined;
      if (at && !event.shiftKey) onopen?.(at);
    }
  }

  const opened = (at: number) => {
    const each = row(at);
    return each !== undefined && (isOpened?.(each) ?? false);
  };
</script>

<div
  bind:this={box}
  bind:clientWidth={width}
  class="rows relative max-h-[75vh] min-h-0 flex-1 overflow-auto desk:max-h-none print:max-h-none"
  role="region"
  aria-label="{name}, scrolled"
  {...onopen ? {} : { tabindex: 0 }}
>
  <!-- a table whose rows are opened is one stop of the Tab key, with a cursor of its own -->
  <table
    class="table"
    class:opens={onopen}
    role={onopen ? 'grid' : undefined}
    aria-label={name}
    aria-rowcount={count + 1}
    {...onopen ? { tabindex: 0, 'aria-activedescendant': to > from ? `${uid}-${cursor}` : undefined } : {}}
    style:min-width="{narrowest}px"
    onkeydown={pressed}
  >
    <colgroup>
      {#each columns as column (column.name)}<col
          style:width={widthOf(column) ? `${widthOf(column)}px` : 'auto'}
        />{/each}
    </colgroup>
    <thead>
      <tr aria-rowindex={1} style:height="{headHeight}px">
        {#each columns as column (column.name)}
          {@const way = sequenceOf(column)}
          <th scope="col" class:right={column.right} title={column.about} aria-sort={way}
            >{#if way}<button type="button" class="sorts" onclick={() => sort(column)}
                >{column.title}<span aria-hidden="true"
                  >{way === 'ascending' ? ' ↑' : way === 'descending' ? ' ↓' : ''}</span
                ></button
              >{:else if head}{@render head(
                column,
              )}{:else}{column.title}{/if}<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions --><span
              class="edge not-printed"
              role="separator"
              aria-orientation="vertical"
              aria-label="Width of {column.title || column.name}"
              aria-valuenow={Math.round(widthOf(column) ?? column.least ?? 120)}
              aria-valuemin={LEAST_WIDTH}
              tabindex="0"
              onpointerdown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
              onpointermove={(event) => dragged(event, column)}
              onkeydown={(event) => keyedWidth(event, column)}
              onclick={(event) => event.stopPropagation()}
            ></span></th
          >
        {/each}
      </tr>
    </thead>
    <tbody>
      {#if from > 0}<tr aria-hidden="true" style:height="{from * rowHeight}px"></tr>{/if}
      {#each shown as at (at)}
        {@const each = row(at)}
        <!-- the keys of the table do the same -->
        <tr
          id="{uid}-{at}"
          aria-rowindex={at + 2}
          aria-selected={onopen ? opened(at) : undefined}
          class={[
            each !== undefined && looks?.(each, at),
            onopen && at === cursor && 'cursor',
            selected && at >= selected[0] && at <= selected[1] && 'selected',
            opened(at) && 'opened',
          ]}
          style:height="{rowHeight}px"
          onmousedown={(event) => event.shiftKey && event.preventDefault()}
          onclick={(event) => {
            if (event.shiftKey) {
              anchor ??= cursor;
              cursor = at;
              return;
            }
            anchor = null;
            if (!onopen) return;
            cursor = at;
            if (each !== undefined) onopen(each);
          }}
        >
          {#if each === undefined}
            <td class="quiet" colspan={columns.length}>{counted(at + 1)} …</td>
          {:else}
            {#each columns as column (column.name)}
              {@const said = column.text?.(each)}
              {@const open = column.open?.(each)}
              <svelte:element
                this={column.names ? 'th' : 'td'}
                scope={column.names ? 'row' : undefined}
                dir={column.right ? undefined : 'auto'}
                class={[column.right && 'right', column.quiet && 'quiet', column.strong && 'font-semibold']}
                title={column.whole?.(each) ?? (column.right ? undefined : said)}
              >
                {#if said === undefined}{@render cell?.(each, column)}{:else if open}<button
                    type="button"
                    class={['figure', column.names && 'word']}
                    onclick={open}>{said}</button
                  >{:else}{said}{/if}
              </svelte:element>
            {/each}
          {/if}
        </tr>
        {#if detail && each !== undefined && hasDetail?.(each)}
          <tr><td></td><td colspan={columns.length - 1} class="detail">{@render detail(each)}</td></tr>
        {/if}
      {/each}
      {#if to < most && !printing.now}<tr aria-hidden="true" style:height="{(most - to) * rowHeight}px"
        ></tr>{/if}
      {@render foot?.()}
    </tbody>
    {#if selected}<SelectedFigures {columns} {selected} {saying} take={cells} />{/if}
  </table>
  <p class="sr-only" aria-live="polite">{told}</p>
  {#if count === 0 && empty}<p class="quiet px-2 py-3">{empty}</p>{/if}
  {#if printing.now && count > MOST_PRINTED}
    <p class="quiet px-2 py-1 text-sm">The first {counted(MOST_PRINTED)} of {counted(count)}.</p>
  {/if}
  {#if count > most}
    <p class="quiet px-2 py-1 text-sm">
      The first {counted(most)} of {counted(count)}. Narrow the question to see the others.
    </p>
  {/if}
</div>

<style>
  .table {
    table-layout: fixed;
    width: 100%;
    border-collapse: separate;
    border-spacing: 0;
    border-radius: 0;
    font-size: inherit;
  }
  .table :global(:is(th, td)) {
    padding: 0 8px;
    border-bottom: 1px solid color-mix(in oklab, var(--color-base-300) 60%, transparent);
    font-weight: inherit;
    color: inherit;
    text-align: left;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .table :global(.right) {
    text-align: right;
  }
  .table :global(.quiet) {
    color: var(--color-neutral);
  }
  .table :global(.font-semibold) {
    font-weight: 600;
  }
  .table thead th {
    position: sticky;
    z-index: 2;
    top: 0;
    background: var(--table-ground, var(--color-base-200));
    border-bottom-color: var(--color-base-300);
    color: var(--color-neutral);
    font-size: 0.875rem;
    font-weight: 400;
    line-height: 1.1;
    vertical-align: bottom;
    padding-bottom: 5px;
    white-space: normal;
  }
  .table thead th::first-letter {
    text-transform: uppercase;
  }
  .sorts {
    min-height: 24px;
    min-width: 24px;
    cursor: pointer;
    text-align: inherit;
  }
  .sorts::first-letter {
    text-transform: uppercase;
  }
  .sorts:hover {
    text-decoration: underline;
  }
  .edge {
    position: absolute;
    inset: 0 0 0 auto;
    width: 8px;
    cursor: col-resize;
    touch-action: none;
  }
  .edge:hover,
  .edge:focus-visible {
    background: linear-gradient(90deg, transparent 5px, var(--color-neutral) 5px 7px, transparent 7px);
  }
  /* the head and the first column stay, so what passes under them must not show */
  .table thead th:first-child {
    left: 0;
    z-index: 3;
  }
  .table tbody tr > :global(:first-child:not([colspan])) {
    position: sticky;
    left: 0;
    z-index: 1;
  }
  .table tbody tr {
    --row: var(--table-ground, var(--color-base-200));
  }
  .table tbody tr > :global(*) {
    background: var(--row);
  }
  .opens tbody tr {
    cursor: pointer;
  }
  .opens tbody tr:hover {
    --row: color-mix(in oklab, var(--color-base-300) 30%, var(--table-ground, var(--color-base-200)));
  }
  .table tbody tr.selected {
    --row: color-mix(in oklab, var(--gold) 16%, var(--table-ground, var(--color-base-200)));
  }
  .opens:focus-visible {
    outline: none;
  }
  .opens:focus-visible tr.cursor > * {
    box-shadow:
      inset 0 2px var(--color-base-content),
      inset 0 -2px var(--color-base-content);
  }
  .opens tbody tr.opened {
    --row: var(--color-base-100);
  }
  .opens tr.opened > :first-child {
    box-shadow: inset 3px 0 var(--gold);
  }
  .figure {
    cursor: pointer;
    min-height: 24px;
    min-width: 24px;
    text-align: inherit;
  }
  .figure:hover {
    text-decoration: underline;
  }
  .table :global(td.detail) {
    white-space: normal;
    padding-block: 6px;
    font-size: 0.875rem;
  }
  @media print {
    .rows {
      overflow: visible;
    }
  }
</style>
