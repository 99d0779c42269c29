<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { api, told, type Schemas } from '$lib/api/client';
  import QuestionPage from '$src/frame/QuestionPage.svelte';
  import { newnessTrace } from '$src/trace/trace';
  import NewnessChart from './NewnessChart.svelte';
  import NewnessSplit from './NewnessSplit.svelte';
  import NewnessTable from './NewnessTable.svelte';
  import Totals from './Totals.svelte';
  import { question } from './newness.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();

  const asked = createQuery(() => ({
    queryKey: ['newness', book.id, question.query],
    queryFn: ({ signal }) =>
      told(
        api.GET('/api/books/{book}/newness', {
          params: { path: { book: book.id }, query: question.query },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  }));
  const answer = $derived(asked.data);
  const trace = $derived(
    question.opened ? newnessTrace(book.id, { ...question.query, ...question.opened }) : undefined,
  );
</script>

<QuestionPage
  book={book.id}
  stop="newness"
  {answer}
  error={asked.error}
  stale={asked.isPlaceholderData}
  {trace}
  query={question.query}
  name="new-and-returning-by-{answer?.period ?? ''}"
  onchoose={(n, v) => question.choose(n, v)}
  onclose={() => question.close()}
>
  {#snippet drawing()}
    {#if answer?.periods.length === 0}
      <p class="quiet mt-6 max-w-prose">No order is read: change the reading line, or bring orders in.</p>
    {:else if answer?.groups.length}
      <NewnessSplit {answer} onopen={(at, side, group) => question.open(at, side, group)} />
    {:else if answer?.view === 'table'}
      <NewnessTable {answer} onopen={(at, side) => question.open(at, side)} />
    {:else if answer}
      <NewnessChart {answer} onopen={(at, side) => question.open(at, side)} />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if answer}<Totals {answer} onopen={(at, side) => question.open(at, side)} />{/if}
  {/snippet}
</QuestionPage>
