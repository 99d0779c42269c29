<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { askOnce, useAnswer, type Asked } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { Pages } from '$lib/pages.svelte';
  import { evidenceOf } from '$src/evidence/source';
  import QuestionPage, { type Answered } from '$src/frame/QuestionPage.svelte';
  import Band from './Band.svelte';
  import FollowUpGuide from './FollowUpGuide.svelte';
  import FollowUpView from './FollowUpView.svelte';
  import LapseCurve from './LapseCurve.svelte';
  import LapseGuide from './LapseGuide.svelte';
  import { openedFigure, question, viewAsked } from './question.svelte';
  import StandingGroups from './StandingGroups.svelte';
  import StandingGuide from './StandingGuide.svelte';
  import StandingsOver from './StandingsOver.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const bookId = $derived(book.id);
  const revision = $derived(book.revision);
  const view = $derived(viewAsked());
  const standing = useAnswer('standing', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'standing',
  }));
  const curve = useAnswer('lapse-curve', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'lapse-curve',
  }));
  const list = new Pages<Schemas['FollowUpShape'], Schemas['FollowUpRowShape']>((head) => head.rows);

  $effect(() => {
    void revision;
    const { query } = question;
    const book = bookId;
    if (view === 'follow-up')
      void list.open((offset, limit, signal) =>
        askOnce('follow-up', book, { ...query, offset, limit }, signal),
      );
  });

  const asked = $derived<Asked<Answered>>(
    view === 'follow-up' ? list : view === 'standing' ? standing : curve,
  );
  const opened = $derived(openedFigure(view));
  const evidence = $derived(opened && evidenceOf(bookId, view, { ...question.query, ...opened }));

  function visitCustomer(customer: number): void {
    const query = address.reading;
    query.set('customer', String(customer));
    address.visit(bookId, 'threads', query);
  }
</script>

<QuestionPage
  book={book.id}
  stop="followup"
  {asked}
  {question}
  tables={[{ file: `/api/books/${book.id}/ask/${view}/file`, query: question.query, label: '' }]}
  name="follow-up-{view}"
  {evidence}
>
  {#snippet drawing()}
    {#if view === 'follow-up' && list.answer}
      <FollowUpView pages={list} head={list.answer} onopen={visitCustomer} />
    {:else if view === 'standing' && standing.answer}
      {#if standing.answer.over}
        <StandingsOver answer={standing.answer} over={standing.answer.over} />
      {:else if standing.answer.groups.length > 0}
        <StandingGroups answer={standing.answer} />
      {:else}
        <div class="pt-2">
          <Band
            standings={standing.answer.standings}
            label="Where customers stand"
            height={72}
            opened={question.opened[0]}
            onopen={(stands) => question.open(stands)}
          />
        </div>
      {/if}
    {:else if view === 'lapse-curve' && curve.answer}
      <LapseCurve answer={curve.answer} />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if view === 'follow-up' && list.answer}
      <FollowUpGuide book={book.id} answer={list.answer} />
    {:else if view === 'standing' && standing.answer}
      <StandingGuide answer={standing.answer} />
    {:else if view === 'lapse-curve' && curve.answer}
      <LapseGuide answer={curve.answer} />
    {/if}
  {/snippet}
</QuestionPage>
