<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, told, type Schemas } from '$lib/api/client';
  import QuestionPage from '$src/frame/QuestionPage.svelte';
  import { cohortTrace } from '$src/trace/trace';
  import CohortBars from './CohortBars.svelte';
  import CohortTableView from './CohortTableView.svelte';
  import Guide from './Guide.svelte';
  import SplitGuide from './SplitGuide.svelte';
  import SplitView from './SplitView.svelte';
  import { question } from './cohorts.svelte';
  import type { Pointed } from './pointed';
  import { usualAge } from './split';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const LAYOUTS = [
    { value: 'grid', label: 'as shown' },
    { value: 'tidy', label: 'one row a cell' },
  ];
  let pointed = $state.raw<Pointed | null>(null);
  let comparedAge = $state<number | null>(null);
  let canAbridge = $state(false);

  const asked = createQuery(() => ({
    queryKey: ['cohorts', book.id, question.query],
    queryFn: ({ signal }) =>
      told(
        api.GET('/api/books/{book}/cohorts', {
          params: { path: { book: book.id }, query: question.query },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  }));
  const answer = $derived(asked.data);
  const empty = $derived(
    answer &&
      answer.orders + answer.left_out_by_rule + answer.left_out_by_condition + answer.left_out_after_as_of ===
        0,
  );
  const age = $derived(
    answer ? Math.min(comparedAge ?? usualAge(answer), Math.max(0, answer.ages_shown - 1)) : 0,
  );
  const trace = $derived(
    question.opened ? cohortTrace(book.id, { ...question.query, ...question.opened }) : undefined,
  );
</script>

{#if empty}
  <main class="mt-8 max-w-prose">
    <h1 class="text-3xl">This book holds no orders yet.</h1>
    <p class="quiet my-3">Bring an order export in, and this table fills by itself.</p>
    <button class="btn btn-primary" onclick={() => address.visit(book.id, 'intake')}>Go to Intake</button>
  </main>
{:else}
  <QuestionPage
    book={book.id}
    stop="cohorts"
    {answer}
    error={asked.error}
    stale={asked.isPlaceholderData}
    {trace}
    query={question.query}
    name="cohorts-by-{answer?.period ?? ''}"
    layouts={LAYOUTS}
    onchoose={(n, v) => question.choose(n, v)}
    onclose={() => question.close()}
  >
    {#snippet tools()}
      {#if canAbridge && answer?.view === 'table' && !answer.split}
        {#if question.layout === 'figures'}
          <button class="word" onclick={() => question.lay('fitted')}>all on one page</button>
        {:else}
          <button class="word" onclick={() => question.lay('figures')}>every figure</button>
        {/if}
      {/if}
    {/snippet}
    {#snippet drawing()}
      {#if answer?.view === 'bars'}
        <CohortBars {answer} onopen={(cohort, at, group) => question.open(cohort, at, group)} />
      {:else if answer?.split}
        <SplitView
          {answer}
          split={answer.split}
          {age}
          onage={(at) => (comparedAge = at)}
          onopen={(cohort, at, group) => question.open(cohort, at, group)}
        />
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
          onchoose={(n, v) => question.choose(n, v)}
          onopen={(group, at) => question.open('all', at, group)}
        />
      {:else if answer}
        <Guide {answer} {pointed} onopen={(cohort, at) => question.open(cohort, at)} />
      {/if}
    {/snippet}
  </QuestionPage>
{/if}
