<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { askOnce, useAnswer, type Asked } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import { Pages } from '$lib/pages.svelte';
  import { searchOf } from '$lib/search';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import { evidenceOf } from '$src/evidence/source';
  import QuestionPage, { type Answered } from '$src/frame/QuestionPage.svelte';
  import CountsGuide from './CountsGuide.svelte';
  import CountsView from './CountsView.svelte';
  import DueCalendar from './DueCalendar.svelte';
  import DueGuide from './DueGuide.svelte';
  import DueRows from './DueRows.svelte';
  import GapRows from './GapRows.svelte';
  import GapsGuide from './GapsGuide.svelte';
  import GapStrips from './GapStrips.svelte';
  import { LiveWindow } from './liveWindow.svelte';
  import NextOrderGuide from './NextOrderGuide.svelte';
  import NextOrderView from './NextOrderView.svelte';
  import { openedFigure, question, viewAsked } from './question.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const bookId = $derived(book.id);
  const revision = $derived(book.revision);
  const view = $derived(viewAsked());
  const live = new LiveWindow();
  const counts = useAnswer('counts', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'counts',
  }));
  const nextOrder = useAnswer('next-order', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'next-order',
  }));
  const gaps = new Pages<Schemas['GapsShape'], Schemas['GapRowShape']>((head) => head.rows);
  const due = new Pages<Schemas['DueShape'], Schemas['DueRowShape']>((head) => head.rows);

  $effect(() => {
    void revision;
    const { query } = question;
    const book = bookId;
    if (view === 'gaps')
      void gaps.open((offset, limit, signal) => askOnce('gaps', book, { ...query, offset, limit }, signal));
    if (view === 'due')
      void due.open((offset, limit, signal) => askOnce('due', book, { ...query, offset, limit }, signal));
  });
  // once the address's own answer is here, nothing of the dragging is left
  $effect(() => {
    if (counts.answer && !counts.stale) live.rest();
  });

  const shownCounts = $derived(live.answer ?? counts.answer);
  const asked = $derived<Asked<Answered>>(
    view === 'gaps'
      ? gaps
      : view === 'due'
        ? due
        : view === 'next-order'
          ? nextOrder
          : {
              answer: shownCounts,
              problem: live.problem ?? counts.problem,
              stale: counts.stale && !live.answer,
              again: counts.again,
            },
  );
  const opened = $derived(openedFigure(view));
  const evidence = $derived(opened && evidenceOf(bookId, view, { ...question.query, ...opened }));

  const visitCustomer = (customer: number) => address.visitCustomer(bookId, customer);
</script>

<QuestionPage
  book={book.id}
  stop="rhythm"
  {asked}
  {question}
  tables={[{ file: `/api/books/${book.id}/ask/${view}/file`, query: question.query, label: '' }]}
  name="rhythm-{view}"
  {evidence}
>
  {#snippet tools()}
    {#if view === 'due'}
      <DownloadButton
        file="/api/books/{book.id}/ask/due/calendar?{searchOf(question.query)}"
        accept="text/calendar">calendar entries</DownloadButton
      >
    {/if}
  {/snippet}
  {#snippet drawing()}
    {#if view === 'counts' && shownCounts}
      <CountsView {book} answer={shownCounts} {live} chosen={question.opened} />
    {:else if view === 'gaps' && gaps.answer}
      {#if gaps.answer.by === 'customer' || gaps.answer.by === 'order'}
        <p class="quiet pb-1 text-sm">
          {gaps.answer.by === 'customer'
            ? `${counted(gaps.answer.count, 'customer')} with a gap, the longest median first. A row opens the customer’s page.`
            : `${counted(gaps.answer.count, 'gap')}, the longest first. The ringed knots are its two orders.`}
        </p>
        <GapRows pages={gaps} head={gaps.answer} onopen={visitCustomer} />
      {:else}
        <GapStrips answer={gaps.answer} />
      {/if}
    {:else if view === 'next-order' && nextOrder.answer}
      <NextOrderView answer={nextOrder.answer} />
    {:else if view === 'due' && due.answer}
      <DueCalendar answer={due.answer} opened={question.opened[0]} onopen={(at) => question.open(at)} />
      <DueRows pages={due} head={due.answer} onopen={visitCustomer} />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if view === 'counts' && shownCounts}
      <CountsGuide answer={shownCounts} />
    {:else if view === 'gaps' && gaps.answer}
      <GapsGuide answer={gaps.answer} />
    {:else if view === 'next-order' && nextOrder.answer}
      <NextOrderGuide answer={nextOrder.answer} />
    {:else if view === 'due' && due.answer}
      <DueGuide answer={due.answer} />
    {/if}
  {/snippet}
</QuestionPage>
