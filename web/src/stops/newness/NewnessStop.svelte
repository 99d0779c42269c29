<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Schemas } from '$lib/api/client';
  import { isTyping } from '$lib/keys';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import Question from '$src/sentence/Question.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import TakeMenu from '$src/sentence/TakeMenu.svelte';
  import BehindPanel from '$src/trace/BehindPanel.svelte';
  import { newnessTrace } from '$src/trace/trace';
  import NewnessChart from './NewnessChart.svelte';
  import NewnessSplit from './NewnessSplit.svelte';
  import NewnessTable from './NewnessTable.svelte';
  import Totals from './Totals.svelte';
  import { question } from './newness.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  let drawing = $state<HTMLElement>();

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
    onclick={() => address.visit(book.id, 'newness', new URLSearchParams())}
    >Back to the plain question</button
  >
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
        <TakeMenu
          file="/api/books/{book.id}/newness/file"
          query={question.query}
          name="new-and-returning-by-{answer.span}"
          {drawing}
          question={words(answer.sentence)}
          reading={`${words(answer.reading)} ${words(answer.manner)}`}
        />
      </p>
      <div class="flex min-h-0 flex-1 flex-col" bind:this={drawing}>
        {#if answer.periods.length === 0}
          <p class="quiet mt-6 max-w-prose">No order is read: change the reading line, or bring orders in.</p>
        {:else if answer.groups.length > 0}
          <NewnessSplit {answer} onopen={(at, side, group) => question.open(at, side, group)} />
        {:else if answer.view === 'table'}
          <NewnessTable {answer} onopen={(at, side) => question.open(at, side)} />
        {:else}
          <NewnessChart {answer} onopen={(at, side) => question.open(at, side)} />
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
      {:else}
        <Totals {answer} onopen={(at, side) => question.open(at, side)} />
      {/if}
    </aside>
  </main>
{/if}
