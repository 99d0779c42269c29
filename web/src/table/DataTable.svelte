<script lang="ts" generics="Row">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { onMount, untrack, type Snippet } from 'svelte';
  import { isTyping } from '$lib/commands.svelte';
  import { count as counted } from '$lib/format/figures';
  import { MOST_PRINTED, MOST_ROWS, stepped, type Column } from './column';

  interface Props {
    label: string;
    columns: Column<Row>[];
    count: number;
    /** A row, once it is here. */
    row: (at: number) => Row | undefined;
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
    count,
    row,
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

  const OVERSCAN = 8;
  const uid = $props.id();
  let box = $state<HTMLElement | null>(null);
  let printing = $state(false);
  const most = $derived(Math.min(count, MOST_ROWS));
  let cursor = $derived.by(() => {
    void question;
    return 0;
  });
  const name = $derived(label.replace(/\.$/, ''));
  const narrowest = $derived(columns.reduce((sum, column) => sum + (column.width ?? column.least ?? 120), 0));

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
  const from = $derived(printing ? 0 : (items[0]?.index ?? 0));
  const to = $derived(
    printing ? Math.min(most, MOST_PRINTED) : Math.min(most, (items.at(-1)?.index ?? -1) + 1),
  );
  const shown = $derived(Array.from({ length: Math.max(0, to - from) }, (_, at) => from + at));

  $effect(() => want?.(from, to));
  $effect(() => {
    void question;
    if (box) box.scrollTop = 0;
  });
  onMount(() => {
    const before = () => (printing = true);
    const after = () => (printing = false);
    addEventListener('beforeprint', before);
    addEventListener('afterprint', after);
    return () => {
      removeEventListener('beforeprint', before);
      removeEventListener('afterprint', after);
    };
  });

  function pressed(event: KeyboardEvent): void {
    if (!onopen || isTyping(event)) return;
    const next = stepped(event.key, cursor, most);
    if (event.key === 'Enter' && event.target === event.currentTarget) {
      const at = row(cursor);
      if (at) onopen(at);
    } else if (next !== undefined) {
      event.preventDefault();
      cursor = next;
      $virtualizer.scrollToIndex(next);
      const at = isOpened && shown.some((each) => opened(each)) ? row(next) : undefined;
      if (at) onopen(at);
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
  class="rows max-h-[75vh] min-h-0 flex-1 overflow-auto desk:max-h-none print:max-h-none"
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
          style:width={column.width ? `${column.width}px` : 'auto'}
        />{/each}
    </colgroup>
    <thead>
      <tr aria-rowindex={1} style:height="{headHeight}px">
        {#each columns as column (column.name)}
          <th scope="col" class:right={column.right} title={column.about}
            >{#if head}{@render head(column)}{:else}{column.title}{/if}</th
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
            opened(at) && 'opened',
          ]}
          style:height="{rowHeight}px"
          onclick={() => {
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
                class={[column.right && 'right', column.quiet && 'quiet', column.strong && 'font-semibold']}
                title={column.whole?.(each)}
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
      {#if to < most && !printing}<tr aria-hidden="true" style:height="{(most - to) * rowHeight}px"></tr>{/if}
      {@render foot?.()}
    </tbody>
  </table>
  {#if count === 0 && empty}<p class="quiet px-2 py-3">{empty}</p>{/if}
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
  .opens tbody tr {
    cursor: pointer;
  }
  .opens tbody tr:hover > * {
    background: color-mix(in oklab, var(--color-base-300) 30%, transparent);
  }
  .opens:focus-visible {
    outline: none;
  }
  .opens:focus-visible tr.cursor > * {
    box-shadow:
      inset 0 2px var(--color-base-content),
      inset 0 -2px var(--color-base-content);
  }
  .opens tr.opened > * {
    background: var(--color-base-100);
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
