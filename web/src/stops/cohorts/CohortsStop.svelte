<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told as toldBy, type Schemas } from '$lib/api/client';
  import { isTyping } from '$lib/keys';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import Question from '$src/sentence/Question.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import TakeMenu from '$src/sentence/TakeMenu.svelte';
  import BehindPanel from '$src/trace/BehindPanel.svelte';
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
  let drawing = $state<HTMLElement>();
  let canAbridge = $state(false);

  const asked = createQuery(() => ({
    queryKey: ['cohorts', book.id, question.query],
    queryFn: ({ signal }) =>
      toldBy(
        api.GET('/api/books/{book}/cohorts', {
          params: { path: { book: book.id }, query: question.query },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  }));
  const answer = $derived(asked.data);
  const age = $derived(
    answer ? Math.min(comparedAge ?? usualAge(answer), Math.max(0, answer.ages_shown - 1)) : 0,
  );
  const trace = $derived(
    question.opened ? cohortTrace(book.id, { ...question.query, ...question.opened }) : undefined,
  );
  const words = (parts: Schemas['PartShape'][]) => parts.map((part) => part.text).join('');

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'Escape' && question.opened && !isTyping(event)) question.close();
  }
</script>

<svelte:window onkeydown={pressed} />

{#if asked.error}
  <div class="mt-4"><ProblemNote problem={problemOf(asked.error)} /></div>
  <button
    class="btn btn-outline btn-sm mt-3 self-start"
    onclick={() => address.visit(book.id, 'cohorts', new URLSearchParams())}
    >Back to the plain question</button
  >
{:else if answer && answer.orders === 0 && answer.left_out_by_rule + answer.left_out_by_condition + answer.left_out_after_as_of === 0}
  <main class="mt-8 max-w-prose">
    <h1 class="text-3xl">This book holds no orders yet.</h1>
    <p class="quiet my-3">Bring an order export in, and this table fills by itself.</p>
    <button class="btn btn-primary" onclick={() => address.visit(book.id, 'intake')}>Go to Intake</button>
  </main>
{:else if answer}
  <Question
    reading={answer.reading}
    sentence={answer.sentence}
    controls={answer.controls}
    onchoose={(n, v) => question.choose(n, v)}
  />
  <main class="flex min-h-0 flex-1 gap-6 pt-1" class:dimmed={asked.isPlaceholderData}>
    <div class="flex min-w-0 flex-1 flex-col">
      <p class="quiet flex min-h-7 flex-wrap items-center justify-between gap-x-4 text-sm">
        <span
          ><Sentence
            parts={answer.manner}
            controls={answer.controls}
            onchoose={(n, v) => question.choose(n, v)}
          /></span
        >
        <span class="flex gap-4 whitespace-nowrap not-printed">
          {#if canAbridge && answer.view === 'table' && !answer.split}
            {#if question.layout === 'figures'}
              <button class="word" onclick={() => question.lay('fitted')}>all on one page</button>
            {:else}
              <button class="word" onclick={() => question.lay('figures')}>every figure</button>
            {/if}
          {/if}
          <TakeMenu
            file="/api/books/{book.id}/cohorts/file"
            query={question.query}
            name="cohorts-by-{answer.period}"
            layouts={LAYOUTS}
            {drawing}
            question={words(answer.sentence)}
            reading={`${words(answer.reading)} ${words(answer.manner)}`}
          />
        </span>
      </p>
      <div class="flex min-h-0 flex-1 flex-col" bind:this={drawing}>
        {#if answer.view === 'bars'}
          <CohortBars {answer} onopen={(cohort, at, group) => question.open(cohort, at, group)} />
        {:else if answer.split}
          <SplitView
            {answer}
            split={answer.split}
            {age}
            onage={(at) => (comparedAge = at)}
            onopen={(cohort, at, group) => question.open(cohort, at, group)}
          />
        {:else}
          <CohortTableView
            {answer}
            {pointed}
            onpoint={(at) => (pointed = at)}
            onfit={(abridged) => (canAbridge = abridged)}
          />
        {/if}
      </div>
    </div>
    <aside class="w-[348px] shrink-0 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-4">
      {#if trace}
        <BehindPanel
          book={book.id}
          revision={answer.revision}
          {trace}
          currency={answer.currency}
          onclose={() => question.close()}
        />
      {:else if answer.split}
        <SplitGuide
          {answer}
          split={answer.split}
          {age}
          onchoose={(n, v) => question.choose(n, v)}
          onopen={(group, at) => question.open('all', at, group)}
        />
      {:else}
        <Guide {answer} {pointed} onopen={(cohort, at) => question.open(cohort, at)} />
      {/if}
    </aside>
  </main>
{/if}
