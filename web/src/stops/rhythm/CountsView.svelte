<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import CountBars from './CountBars.svelte';
  import CountsTable from './CountsTable.svelte';
  import type { Counts, Dates, LiveWindow } from './liveWindow.svelte';
  import WindowBrush from './WindowBrush.svelte';
  import { question, visitView } from './question.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: Counts;
    live: LiveWindow;
    chosen: string[];
  }
  let { book, answer, live, chosen }: Props = $props();

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

  function choose(orders: string): void {
    const next = chosen.includes(orders) ? chosen.filter((each) => each !== orders) : [...chosen, orders];
    if (next.length > 0) question.open(...next);
    else question.close();
  }
</script>

<div class="min-w-0 shrink-0" bind:clientWidth={width}>
  {#if width > 0}
    <WindowBrush
      months={answer.months}
      events={answer.events}
      asOf={answer.as_of}
      {window}
      {width}
      onmove={(dates) => live.move(book.id, question.query, dates)}
      onset={(dates) => question.set({ ...dates })}
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
      onstep={(step) => visitView('next-order', { step: String(step) })}
    />
  {/snippet}
</ChartFrame>
