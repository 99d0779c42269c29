<script lang="ts">
  import { onDestroy } from 'svelte';
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import CountBars from './CountBars.svelte';
  import CountsTable from './CountsTable.svelte';
  import { live, type Counts, type Dates } from './liveWindow.svelte';
  import WindowBrush from './WindowBrush.svelte';
  import { question } from '$lib/question.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: Counts;
    stale: boolean;
  }
  let { book, answer, stale }: Props = $props();
  const chosen = $derived(question.opened);

  let width = $state(0);
  /** What the address says counts before what was answered: keys come faster than answers. */
  const window = $derived.by((): Dates => {
    const { from, to } = question.query;
    return (
      live.dates ?? {
        from: typeof from === 'string' ? from : answer.first_date,
        to: typeof to === 'string' ? to : answer.last_date,
      }
    );
  });

  // once the address's own answer is here, nothing of the dragging is left
  $effect(() => {
    void question.query;
    if (!stale && live.isLetGo) live.rest();
  });
  onDestroy(() => live.rest());

  function choose(orders: string): void {
    const next = chosen.includes(orders) ? chosen.filter((each) => each !== orders) : [...chosen, orders];
    if (next.length > 0) question.open(...next);
    else question.close();
  }
</script>

{#if live.problem}<ProblemNote problem={live.problem} />{/if}
<div class="min-w-0 shrink-0" bind:clientWidth={width}>
  {#if width > 0}
    <WindowBrush
      months={answer.months}
      events={answer.events}
      asOf={answer.as_of}
      {window}
      {width}
      onmove={(dates) => live.move(book.id, question.query, dates)}
      onset={(dates) => {
        live.letGo();
        question.set({ ...dates });
      }}
      onstep={(dates) => question.set({ ...dates }, false)}
    />
  {/if}
</div>
<ChartFrame
  words={live.dates
    ? `${date(window.from)} to ${date(window.to)}: ${counted(answer.with_orders, 'customer')} ordered`
    : ''}
  hint="Drag the window or its ends, and the counts follow. Choose bars to see who stands behind them, together."
>
  {#snippet twin()}<CountsTable {answer} onchoose={choose} />{/snippet}
  {#snippet drawing({ width, height })}
    <CountBars
      {answer}
      {chosen}
      {width}
      {height}
      onchoose={choose}
      onstep={(step) => question.visit('next-order', { step: String(step) })}
    />
  {/snippet}
</ChartFrame>
