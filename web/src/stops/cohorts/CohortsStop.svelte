<script lang="ts">
  import { useAnswer } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { evidenceOf } from '$src/evidence/source';
  import EmptyBook from '$src/frame/EmptyBook.svelte';
  import NothingRead from '$src/frame/NothingRead.svelte';
  import QuestionPage from '$src/frame/QuestionPage.svelte';
  import CohortBars from './CohortBars.svelte';
  import CohortTableView from './CohortTableView.svelte';
  import Guide from './Guide.svelte';
  import SplitGuide from './SplitGuide.svelte';
  import SplitView from './SplitView.svelte';
  import type { Pointed } from './pointed';
  import { openedFigure, question, showNumbers, showsNumbers } from './question.svelte';
  import { usualAge } from './split';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const LAYOUTS = [
    { layout: 'grid', label: 'as shown' },
    { layout: 'tidy', label: 'one row a cell' },
  ];
  let pointed = $state.raw<Pointed | null>(null);
  let comparedAge = $state<number | null>(null);
  let canAbridge = $state(false);

  const asked = useAnswer('cohorts', () => ({ book: book.id, query: question.query }));
  const answer = $derived(asked.answer);
  const isEmpty = $derived(
    answer !== undefined &&
      answer.orders + answer.left_out_by_rule + answer.left_out_by_condition + answer.left_out_after_as_of ===
        0,
  );
  const age = $derived(
    answer ? Math.min(comparedAge ?? usualAge(answer), Math.max(0, answer.ages_shown - 1)) : 0,
  );
  const bookId = $derived(book.id);
  const opened = $derived(openedFigure());
  const evidence = $derived(opened && evidenceOf(bookId, 'cohorts', { ...question.figures, ...opened }));
  const open = (cohort: string, at: number | string, group = '') => question.open(cohort, at, group);
  const choose = (name: string, values: string[]) => question.choose(name, values);
</script>

{#snippet emptyBook()}
  <EmptyBook book={book.id} title="This book holds no orders yet.">
    Import an order export, and this table fills by itself.
  </EmptyBook>
{/snippet}

<QuestionPage
  book={book.id}
  stop="cohorts"
  {asked}
  {question}
  tables={LAYOUTS.map(({ layout, label }) => ({
    file: `/api/books/${book.id}/ask/cohorts/file`,
    query: { ...question.query, layout },
    label,
  }))}
  name="cohorts-by-{answer?.period ?? ''}"
  {evidence}
  empty={isEmpty ? emptyBook : undefined}
>
  {#snippet tools()}
    {#if canAbridge && answer?.view === 'table' && !answer.split}
      <button class="word" onclick={() => showNumbers(!showsNumbers())}
        >{showsNumbers() ? 'fit to page' : 'show numbers'}</button
      >
    {/if}
  {/snippet}
  {#snippet drawing()}
    {#if answer?.cohorts.length === 0}
      <NothingRead />
    {:else if answer?.view === 'bars'}
      <CohortBars {answer} onopen={open} />
    {:else if answer?.split}
      <SplitView {answer} split={answer.split} {age} onage={(at) => (comparedAge = at)} onopen={open} />
    {:else if answer}
      <CohortTableView
        {answer}
        {pointed}
        onpoint={(at) => (pointed = at)}
        onfit={(abridged) => (canAbridge = abridged)}
      />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if answer?.split}
      <SplitGuide
        {answer}
        split={answer.split}
        {age}
        onage={(at) => (comparedAge = at)}
        onchoose={choose}
        onopen={(group, at) => open('all', at, group)}
      />
    {:else if answer && answer.cohorts.length > 0}
      <Guide {answer} {pointed} onopen={open} />
    {/if}
  {/snippet}
</QuestionPage>
