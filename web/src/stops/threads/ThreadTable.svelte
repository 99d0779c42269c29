<script lang="ts">
  import { cell, isFigure } from '$lib/format/cells';
  import { date } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { dayTicks, timeScale } from '$src/thread/threads';
  import { isTyping } from '$lib/keys';
  import type { ListView, Rows } from './rows.svelte';

  interface Props {
    rows: Rows;
    view: ListView;
    /** Beside an open customer there is room for the name, the thread and one field. */
    narrow: boolean;
    opened: number | null;
    onopen: (customer: number) => void;
  }
  let { rows, view, narrow, opened, onopen }: Props = $props();

  const ROW_HEIGHT = 31;
  const MARGIN_ROWS = 8;
  const NAME = 190;
  const CELL = 112;
  const ORDER = 110;
  const SHORTEST = 120;
  let box = $state<HTMLElement>();
  let width = $state(0);
  let height = $state(0);
  let scrolled = $state(0);
  let cursor = $state(0);
  const head = $derived(rows.head);
  /** The name stands in the first column anyway. */
  const byName = $derived(head?.by.name === 'name');
  const fields = $derived(
    head
      ? [...(byName ? [] : [head.by]), ...(narrow ? [] : head.columns.filter((c) => c.name !== head.by.name))]
      : [],
  );
  const places = $derived(
    head
      ? [
          ...(byName ? [] : [0]),
          ...head.columns.flatMap((c, at) => (c.name === head.by.name ? [] : [at + 1])),
        ]
      : [],
  );
  const withOrder = $derived(view !== 'customers' && !narrow);
  const beside = $derived(NAME + (withOrder ? ORDER : 0) + 12);
  const cellWidth = $derived(
    narrow ? 92 : Math.min(CELL, Math.max(72, (width - beside - SHORTEST) / Math.max(1, fields.length))),
  );
  const threadWidth = $derived(Math.max(SHORTEST, width - beside - fields.length * cellWidth));
  const scale = $derived(head ? timeScale(head.first_date, head.last_date, threadWidth) : undefined);
  const from = $derived(Math.max(0, Math.floor(scrolled / ROW_HEIGHT) - MARGIN_ROWS));
  const to = $derived(Math.min(head?.count ?? 0, Math.ceil((scrolled + height) / ROW_HEIGHT) + MARGIN_ROWS));
  const shown = $derived(Array.from({ length: Math.max(0, to - from) }, (_, at) => from + at));
  const columns = $derived(
    [
      `${NAME}px`,
      `${threadWidth}px`,
      ...(withOrder ? [`${ORDER}px`] : []),
      ...fields.map(() => `${cellWidth}px`),
    ].join(' '),
  );
  // another question begins at the top; the same one after a change stays where it is
  const asked = $derived(head?.answer.sentence.map((part) => part.text).join(''));

  $effect(() => rows.want(from, to));
  $effect(() => {
    void asked;
    cursor = 0;
    if (box) box.scrollTop = 0;
  });

  function pressed(event: KeyboardEvent): void {
    if (!head || isTyping(event)) return;
    const steps: Record<string, number> = {
      ArrowDown: 1,
      ArrowUp: -1,
      PageDown: 15,
      PageUp: -15,
      Home: -Infinity,
      End: Infinity,
    };
    const step = steps[event.key];
    if (event.key === 'Enter') {
      const row = rows.row(cursor);
      if (row) onopen(row.thread.customer);
    } else if (step !== undefined) {
      event.preventDefault();
      cursor = Math.min(head.count - 1, Math.max(0, cursor + step));
      const top = cursor * ROW_HEIGHT;
      if (box && top < box.scrollTop) box.scrollTop = top;
      else if (box && top + ROW_HEIGHT > box.scrollTop + height) box.scrollTop = top + ROW_HEIGHT - height;
      if (narrow) {
        const row = rows.row(cursor);
        if (row) onopen(row.thread.customer);
      }
    }
  }
</script>

{#if head && scale}
  <div
    role="table"
    aria-rowcount={head.count + 1}
    aria-label={head.words}
    class="flex min-h-0 flex-1 flex-col"
    bind:clientWidth={width}
  >
    <div
      role="row"
      class="head grid items-end gap-x-0 border-b border-base-300 pb-1 text-sm"
      style:grid-template-columns={columns}
    >
      <span role="columnheader">Customer</span>
      <span
        role="columnheader"
        class="relative"
        aria-label="Thread, {date(head.first_date)} to {date(head.last_date)}"
      >
        {#each dayTicks(scale, threadWidth) as tick (tick.day)}
          <span class="tick" style:left="{tick.x}px">{tick.label}</span>
        {/each}
      </span>
      {#if withOrder}<span role="columnheader" class="pl-3">{view === 'orders' ? 'Order' : 'Backdated'}</span
        >{/if}
      {#each fields as field (field.name)}
        <span role="columnheader" class="pl-4 leading-4" class:text-right={isFigure(field.kind)}
          >{field.title}</span
        >
      {/each}
    </div>
    <!-- a scrolled list must be reachable by keyboard -->
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      bind:this={box}
      bind:clientHeight={height}
      class="min-h-0 flex-1 overflow-x-hidden overflow-y-auto"
      tabindex="0"
      role="rowgroup"
      aria-label="Rows"
      onscroll={(event) => (scrolled = event.currentTarget.scrollTop)}
      onkeydown={pressed}
    >
      {#if head.count === 0}
        <p class="quiet py-3 pl-2">Nobody meets what the reading line and the question ask for.</p>
      {/if}
      <div class="relative" style:height="{head.count * ROW_HEIGHT}px">
        {#each shown as at (at)}
          {@const row = rows.row(at)}
          <!-- the keys of the list do the same -->
          <!-- svelte-ignore a11y_click_events_have_key_events -->
          <div
            role="row"
            tabindex="-1"
            aria-rowindex={at + 2}
            class="line absolute inset-x-0 grid items-center"
            class:cursor={at === cursor}
            class:opened={row && row.thread.customer === opened}
            style:top="{at * ROW_HEIGHT}px"
            style:height="{ROW_HEIGHT}px"
            style:grid-template-columns={columns}
            onclick={() => {
              cursor = at;
              if (row) onopen(row.thread.customer);
            }}
          >
            {#if row}
              <span
                role="cell"
                class="truncate pr-2 font-semibold"
                title="{row.thread.name} · {row.thread.key}">{row.thread.name}</span
              >
              <span role="cell"
                ><SmallThread
                  knots={row.thread.knots}
                  {scale}
                  width={threadWidth}
                  plain={view === 'customers'}
                /></span
              >
              {#if withOrder}<span
                  role="cell"
                  class="truncate pl-3"
                  title={row.orders
                    .map((order) => `${order.source} ${order.number}, ${date(order.date)}`)
                    .join('; ')}>{row.orders.map((order) => order.number).join(', ')}</span
                >{/if}
              {#each fields as field, place (field.name)}
                <span role="cell" class="truncate pl-4" class:text-right={isFigure(field.kind)}
                  >{cell(row.cells[places[place] ?? 0] ?? null, field.kind)}</span
                >
              {/each}
            {:else}
              <span role="cell" class="quiet">{count(at + 1)} …</span>
            {/if}
          </div>
        {/each}
      </div>
    </div>
  </div>
{/if}

<style>
  .head {
    color: var(--color-neutral);
    padding-left: 8px;
  }
  .tick {
    position: absolute;
    bottom: 0;
    transform: translateX(-50%);
    white-space: nowrap;
  }
  .line {
    cursor: pointer;
    border-bottom: 1px solid color-mix(in oklab, var(--color-base-300) 60%, transparent);
    border-left: 3px solid transparent;
    padding-left: 5px;
    margin-right: 0;
  }
  .line:hover,
  .line.cursor {
    background: color-mix(in oklab, var(--color-base-300) 30%, transparent);
  }
  .line.opened {
    background: var(--color-base-100);
    border-left-color: var(--gold);
  }
</style>
