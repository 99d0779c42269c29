<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import { isTyping } from '$lib/keys';
  import CustomerPage from '$src/customer/CustomerPage.svelte';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import Question from '$src/sentence/Question.svelte';
  import FiguresTable from './FiguresTable.svelte';
  import PairsGrid, { LIMIT } from './PairsGrid.svelte';
  import TakeAway from './TakeAway.svelte';
  import TallyLine from './TallyLine.svelte';
  import ThreadTable from './ThreadTable.svelte';
  import { Rows, type ListView } from './rows.svelte';
  import { question } from './threads.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  // the stop is made anew with its book
  // svelte-ignore state_referenced_locally
  const rows = new Rows(book.id);
  const view = $derived(question.view);
  const listView = $derived.by((): ListView | undefined =>
    view === 'figures' || view === 'pairs' ? undefined : view,
  );
  const path = $derived({ book: book.id });
  let pairsFrom = $state(0);

  $effect(() => {
    void book.revision;
    if (listView) void rows.open(listView, question.query);
  });
  $effect(() => {
    void question.query;
    pairsFrom = 0;
  });

  const figures = createQuery(() => ({
    queryKey: ['figures', book.id, question.query],
    queryFn: ({ signal }) =>
      told(api.GET('/api/books/{book}/threads/figures', { params: { path, query: question.query }, signal })),
    placeholderData: keepPreviousData,
    enabled: view === 'figures',
  }));
  const pairs = createQuery(() => ({
    queryKey: ['pairs', book.id, question.query, pairsFrom],
    queryFn: ({ signal }) =>
      told(
        api.GET('/api/books/{book}/threads/pairs', {
          params: { path, query: { ...question.query, offset: pairsFrom, limit: LIMIT } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: view === 'pairs',
  }));

  const answer = $derived.by((): Schemas['AnswerShape'] | undefined => {
    if (view === 'figures') return figures.data?.answer;
    return view === 'pairs' ? pairs.data?.answer : rows.head?.answer;
  });
  const problem = $derived.by((): Problem | undefined => {
    const failed = view === 'figures' ? figures.error : view === 'pairs' ? pairs.error : null;
    if (failed) return problemOf(failed);
    return listView ? rows.problem : undefined;
  });
  const stale = $derived(
    listView ? rows.stale : view === 'figures' ? figures.isPlaceholderData : pairs.isPlaceholderData,
  );
  const empty = $derived(
    answer && answer.tally.customers === 0 && !address.query.get('where') && !answer.rest,
  );
  const groupTitle = $derived(answer?.sentence.find((part) => part.control === 'group')?.text ?? '');
  const rowTitle = $derived(answer?.sentence.find((part) => part.control === 'rows')?.text ?? '');

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'Escape' && question.customer !== null && !isTyping(event)) question.close();
  }
</script>

<svelte:window onkeydown={pressed} />

{#if problem}
  <div class="mt-4"><ProblemNote {problem} /></div>
  <button
    class="btn btn-outline btn-sm mt-3 self-start"
    onclick={() => address.visit(book.id, 'threads', new URLSearchParams())}
    >Back to the plain question</button
  >
{:else if answer && empty}
  <main class="mt-8 max-w-prose">
    <h1 class="text-3xl">This book holds no customers yet.</h1>
    <p class="quiet my-3">Bring an order export in, and every customer's thread is here at once.</p>
    <button class="btn btn-primary" onclick={() => address.visit(book.id, 'intake')}>Go to Intake</button>
  </main>
{:else if answer}
  <Question
    reading={answer.reading}
    sentence={answer.sentence}
    controls={answer.controls}
    onchoose={(n, v) => question.choose(n, v)}
  />
  <div class="flex shrink-0 flex-wrap items-start justify-between gap-x-6 pt-1 pb-2">
    <TallyLine {answer} />
    <TakeAway book={book.id} {view} query={question.query} />
  </div>
  <main class="flex min-h-0 flex-1 gap-6">
    <div
      class="flex min-h-0 flex-col"
      class:w-[416px]={question.customer !== null}
      class:shrink-0={question.customer !== null}
      class:flex-1={question.customer === null}
      class:dimmed={stale}
    >
      {#if listView}
        {#if listView !== 'customers'}<p class="quiet pb-1 text-sm">{rows.head?.words}</p>{/if}
        <ThreadTable
          {rows}
          view={listView}
          narrow={question.customer !== null}
          opened={question.customer}
          onopen={(customer) => question.open(customer)}
        />
      {:else if view === 'figures' && figures.data}
        <FiguresTable
          answer={figures.data}
          group={groupTitle}
          onnarrow={(condition) => question.narrow(condition)}
          onopen={(customer) => question.open(customer)}
        />
      {:else if view === 'pairs' && pairs.data}
        <PairsGrid
          answer={pairs.data}
          {rowTitle}
          onmore={(offset) => (pairsFrom = offset)}
          onnarrow={(condition) => question.narrow(condition)}
          onopen={(customer) => question.open(customer)}
        />
      {/if}
    </div>
    {#if question.customer !== null}
      <CustomerPage
        book={book.id}
        customer={question.customer}
        onclose={() => question.close()}
        onchoose={(name, values) => question.choose(name, values)}
      />
    {/if}
  </main>
{/if}
