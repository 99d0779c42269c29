<script lang="ts">
  import { cell, isFigure } from '$lib/format/cells';
  import { date, dayNumber, isoOf } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import { question } from '$lib/question.svelte';
  import { stepped, type Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import { dayTicks } from '$src/thread/smallThread';
  import { LABEL_TONES, NUMBER_TONES, draw, drawnOf, laid, rangeOf, type LoomAnswer } from './loom';
  import { openCustomer as onopen } from '../opening';
  import { lookAt, nearAsked, openedThreads } from './ranges';

  let { answer }: { answer: LoomAnswer } = $props();

  const AXIS = 22;
  const NAME_ROW = 13;
  const NAMES = 170;
  let width = $state(0);
  let height = $state(0);
  let canvas = $state<HTMLCanvasElement>();
  let cursor = $state<number | null>(null);
  let anchor = $state<number | null>(null);
  let dragged = $state<{ from: number; to: number } | null>(null);
  /** Which end of a range the next click chooses, where one is chosen by clicks and not by dragging. */
  let chosen = $state<'first' | 'last' | null>(null);
  let theme = $state(document.documentElement.dataset['theme']);

  const near = $derived(nearAsked());
  const opened = $derived(openedThreads());
  const lastDay = $derived(dayNumber(answer.last_date) - dayNumber(answer.first_date));
  const box = $derived(Math.max(120, height - AXIS));
  const span = $derived(drawnOf(answer, near));
  const named = $derived(box / Math.max(1, span.to - span.from) >= NAME_ROW);
  const left = $derived(named ? NAMES : 0);
  const loom = $derived(laid(answer, span, Math.max(60, width - left), box, lastDay));
  const drawn = $derived(loom.to - loom.from);
  const isNumber = $derived(answer.tone !== null && answer.legend.every((tone) => tone.label === null));
  const tones = $derived(answer.tone === null ? ['--gold'] : isNumber ? NUMBER_TONES : LABEL_TONES);
  const ticks = $derived.by(() => {
    if (answer.align === 'first')
      return loom.x
        .ticks(Math.max(2, (width - left) / 110))
        .map((day) => ({ x: loom.x(day), label: `${count(day)} d` }));
    const first = dayNumber(answer.first_date);
    return dayTicks(loom.x.copy().domain([first, first + Math.max(1, lastDay)]), width - left);
  });
  const shown = $derived.by(() => {
    if (dragged || !opened) return dragged;
    const { from, to } = drawnOf(answer, opened);
    return from < to ? { from, to: to - 1 } : null;
  });
  const words = $derived.by(() => {
    if (dragged) {
      const range = rangeOf(answer, dragged.from, dragged.to);
      return `${counted(range.last - range.first + 1, 'customer')}: ${chosen ? 'click the last one' : 'let go'} to see who they are`;
    }
    if (chosen) return 'Click the first thread of the range';
    if (cursor === null || cursor < loom.from || cursor >= loom.to) return '';
    const orders = (answer.starts[cursor + 1] ?? 0) - (answer.starts[cursor] ?? 0);
    return `${answer.names[cursor]} · ${answer.by.title} ${cell(answer.values[cursor] ?? null, answer.by.kind)} · ${counted(orders, 'order')}${toneWords(cursor)}`;
  });

  function toneWords(at: number): string {
    const tone = answer.legend[answer.tones[at] ?? -1];
    return answer.tone === null
      ? ''
      : ` · ${answer.tone.title}: ${tone ? legendWords(answer.tones[at] ?? 0) : 'blank'}`;
  }

  function legendWords(at: number): string {
    const tone = answer.legend[at];
    if (!tone || answer.tone === null) return '';
    if (!isNumber) return tone.label ?? 'others';
    const said = (value: LoomAnswer['legend'][number]['low']) => cell(value, answer.tone?.kind ?? 'number');
    const next = answer.legend[at + 1];
    if (tone.low === null) return next ? `under ${said(next.low)}` : 'any';
    return next ? `${said(tone.low)} to under ${said(next.low)}` : `${said(tone.low)} and more`;
  }

  $effect(() => {
    const watch = new MutationObserver(() => (theme = document.documentElement.dataset['theme']));
    watch.observe(document.documentElement, { attributes: true, attributeFilter: ['data-theme'] });
    return () => watch.disconnect();
  });

  $effect(() => {
    void theme;
    const context = canvas?.getContext('2d');
    if (!canvas || !context || width === 0) return;
    const scale = devicePixelRatio;
    canvas.width = Math.round((width - left) * scale);
    canvas.height = Math.round(box * scale);
    context.setTransform(scale, 0, 0, scale, 0, 0);
    const style = getComputedStyle(canvas);
    const colours = tones.map((name) => style.getPropertyValue(name));
    performance.mark('loom-begins');
    draw(context, answer, loom, colours, lastDay);
    performance.measure('loom', 'loom-begins');
  });

  const clamped = (at: number) => Math.min(loom.to - 1, Math.max(loom.from, at));

  function threadAt(event: PointerEvent): number {
    const top = canvas?.getBoundingClientRect().top ?? 0;
    return clamped(loom.from + Math.floor((event.clientY - top) / loom.row));
  }

  const between = (one: number, other: number) => ({ from: Math.min(one, other), to: Math.max(one, other) });

  function down(event: PointerEvent): void {
    if (event.button !== 0) return;
    const at = threadAt(event);
    if (chosen !== 'last') anchor = at;
    dragged = between(anchor ?? at, at);
    canvas?.setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent): void {
    cursor = threadAt(event);
    if (anchor !== null && dragged) dragged = between(anchor, cursor);
  }

  function up(): void {
    if (chosen === 'first' && dragged?.from === dragged?.to) {
      chosen = 'last';
      return;
    }
    const range = dragged;
    letGo();
    if (range) open(range);
  }

  function letGo(): void {
    anchor = dragged = chosen = null;
  }

  function open({ from, to }: { from: number; to: number }): void {
    const customer = answer.customers[from];
    if (from === to && named && customer !== undefined) onopen(customer);
    else {
      const range = rangeOf(answer, from, to);
      question.open(range.first, range.last);
    }
  }

  /** The cursor goes from thread to thread; with Shift it chooses those that it passes, Enter opens them. */
  function pressed(event: KeyboardEvent): void {
    if (event.key === 'Enter' && cursor !== null) {
      open(between(anchor ?? cursor, cursor));
      letGo();
      return;
    }
    const next = stepped(event.key, (cursor ?? loom.from) - loom.from, drawn);
    if (next === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.shiftKey) anchor ??= cursor ?? loom.from;
    else anchor = null;
    cursor = loom.from + next;
    dragged = anchor === null ? null : between(anchor, cursor);
  }

  const rows = $derived(Array.from({ length: drawn }, (_, at) => loom.from + at));
  const columns = $derived<Column<number>[]>([
    { name: 'customer', title: 'Customer', names: true, text: (at: number) => answer.names[at] ?? '' },
    ...(answer.by.name === 'name'
      ? []
      : [
          {
            name: 'by',
            title: answer.by.title,
            width: 150,
            right: isFigure(answer.by.kind),
            text: (at: number) => cell(answer.values[at] ?? null, answer.by.kind),
          },
        ]),
    {
      name: 'first',
      value: (at: number) => answer.days[answer.starts[at] ?? 0] ?? 0,
      title: 'first order',
      width: 110,
      right: true,
      text: (at: number) =>
        date(isoOf(dayNumber(answer.first_date) + (answer.days[answer.starts[at] ?? 0] ?? 0))),
    },
    {
      name: 'latest',
      value: (at: number) => answer.days[(answer.starts[at + 1] ?? 1) - 1] ?? 0,
      title: 'latest order',
      width: 110,
      right: true,
      text: (at: number) =>
        date(isoOf(dayNumber(answer.first_date) + (answer.days[(answer.starts[at + 1] ?? 1) - 1] ?? 0))),
    },
    ...(answer.tone
      ? [
          {
            name: 'tone',
            title: answer.tone.title,
            width: 170,
            text: (at: number) => ((answer.tones[at] ?? -1) < 0 ? '—' : legendWords(answer.tones[at] ?? 0)),
          },
        ]
      : []),
  ]);
</script>

<div class="flex min-h-7 flex-wrap items-center gap-x-4 text-sm">
  {#each answer.legend as tone, at (at)}
    {#if tone}<span class="inline-flex items-center gap-1.5 whitespace-nowrap"
        ><span class="tone" style:background="var({tones[at] ?? '--gold'})" aria-hidden="true"
        ></span>{legendWords(at)}</span
      >{/if}
  {/each}
  <span class="quiet" data-testid="sample">
    {#if answer.places.length < answer.count}
      An even sample: {count(answer.places.length)} of {counted(answer.count, 'thread')}, evenly along the
      sequence.
    {:else}{counted(near ? near.last - near.first + 1 : answer.count, 'thread')}, one a line.{/if}
  </span>
  <span class="ml-auto flex gap-x-4 not-printed">
    {#if !question.isTable}
      <button
        class="word"
        aria-pressed={chosen !== null}
        onclick={() => {
          const begins = chosen === null;
          letGo();
          if (begins) chosen = 'first';
        }}>choose a range</button
      >
    {/if}
    {#if opened}
      <button class="word" onclick={() => lookAt(opened)}>look closer</button>
    {/if}
    {#if near}<button class="word" onclick={() => lookAt(null)}>all threads</button>{/if}
    <button class="word" aria-pressed={question.isTable} onclick={() => question.showTable(!question.isTable)}
      >{question.isTable ? 'as a drawing' : 'as a table'}</button
    >
  </span>
</div>
{#if question.isTable}
  <DataTable
    label="Customer timelines"
    {columns}
    all={rows}
    onopen={(at) => {
      const customer = answer.customers[at];
      if (customer !== undefined) onopen(customer);
    }}
  />
{:else}
  <div
    class="min-h-96 flex-1 overflow-hidden desk:min-h-0"
    bind:clientWidth={width}
    bind:clientHeight={height}
  >
    <div class="relative" style:height="{AXIS}px" aria-hidden="true">
      {#each ticks as tick, at (at)}
        <span
          class="quiet absolute bottom-0 -translate-x-1/2 text-xs whitespace-nowrap"
          style:left="{left + tick.x}px">{tick.label}</span
        >
      {/each}
    </div>
    <div class="relative flex" style:height="{box}px">
      {#if named}
        <ol class="names" style:width="{left}px" aria-hidden="true">
          {#each rows as at (at)}<li dir="auto" style:height="{loom.row}px" style:line-height="{loom.row}px">
              {answer.names[at]}
            </li>{/each}
        </ol>
      {/if}
      <div class="relative min-w-0 flex-1">
        <canvas
          bind:this={canvas}
          class="block h-full w-full"
          role="slider"
          tabindex="0"
          aria-label="Customer timelines: arrow keys go from thread to thread, with Shift they choose, Enter opens"
          aria-orientation="vertical"
          aria-valuemin={1}
          aria-valuemax={Math.max(1, drawn)}
          aria-valuenow={(cursor ?? loom.from) - loom.from + 1}
          aria-valuetext={words || counted(drawn, 'thread')}
          onpointerdown={down}
          onpointermove={move}
          onpointerup={up}
          onpointercancel={letGo}
          onpointerleave={() => {
            if (!dragged) cursor = null;
          }}
          onkeydown={pressed}
        ></canvas>
        {#if cursor !== null && !dragged}
          <span class="line" style:top="{(cursor - loom.from + 0.5) * loom.row}px"></span>
        {/if}
        {#if shown && shown.to >= loom.from && shown.from < loom.to}
          <span
            class="band"
            style:top="{Math.max(0, (shown.from - loom.from) * loom.row - 1)}px"
            style:height="{Math.max(
              3,
              (Math.min(shown.to, loom.to - 1) - Math.max(shown.from, loom.from) + 1) * loom.row + 2,
            )}px"
          ></span>
        {/if}
      </div>
    </div>
  </div>
  <p class="mt-1 min-h-6 shrink-0 text-sm desk:h-6 desk:truncate" aria-live="polite">
    {#if words}{words}{:else}<span class="quiet not-printed"
        >Each line is a customer, each mark an order. Drag over some threads to see who they are and keep them
        as a list.</span
      >{/if}
  </p>
{/if}

<style>
  .tone {
    width: 16px;
    height: 4px;
    flex: none;
  }
  canvas {
    cursor: crosshair;
    touch-action: pan-x;
  }
  .names li {
    overflow: hidden;
    padding-right: 8px;
    font-size: 12.5px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .line,
  .band {
    position: absolute;
    left: 0;
    right: 0;
    pointer-events: none;
  }
  .line {
    border-top: 1px solid var(--color-base-content);
  }
  .band {
    border: 1.5px solid var(--color-base-content);
    background: color-mix(in oklab, var(--color-base-content) 7%, transparent);
  }
</style>
