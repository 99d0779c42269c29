<script lang="ts">
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, takeCsv, told, type Schemas } from '$lib/api/client';
  import { count, percent } from '$lib/format/figures';
  import { isTyping } from '$lib/keys';
  import AgeCurve from '$src/charts/AgeCurve.svelte';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import BehindPanel from '$src/trace/BehindPanel.svelte';
  import CohortGrid, { type Pointed } from './CohortGrid.svelte';
  import Guide from './Guide.svelte';
  import Readout from './Readout.svelte';
  import { ALL, question } from './cohorts.svelte';
  import { LABEL_WIDTH, SIZE_WIDTH, allValues, firstAge, fit } from './grid';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const CURVE_HEIGHT = 118;
  let width = $state(0);
  let height = $state(0);
  let pointed = $state.raw<Pointed | null>(null);

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
  const room = $derived({ width, height });
  const laid = $derived(answer ? fit(answer, width, height, question.layout === 'figures') : undefined);
  const canAbridge = $derived(answer && fit(answer, width, height, false).abridged);
  const behindQuery = $derived(question.opened ? { ...question.query, ...question.opened } : undefined);

  const place = $derived.by(() => {
    const left = LABEL_WIDTH + SIZE_WIDTH;
    const first = answer ? firstAge(answer) : 0;
    const ages = (answer?.ages_shown ?? 1) - first;
    const step = laid && !laid.scrolls ? laid.cellWidth : (width - left - 8) / Math.max(1, ages);
    return (age: number) => left + (age - first + 0.5) * step;
  });
  const curveTitle = $derived.by(() => {
    switch (answer?.figure) {
      case 'retention':
        return `Average share ordering again, by age, with its 95 % band${answer.rest ? '; dashed: the rest' : ''}`;
      case 'revenue':
        return `Revenue of all cohorts by age, ${answer.currency}`;
      default:
        return `All ${answer?.figure ?? ''} by age`;
    }
  });
  const tell = $derived((value: number) =>
    answer?.figure === 'retention' ? `${percent(value)} %` : count(Math.round(value)),
  );

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'Escape' && question.opened && !isTyping(event)) question.close();
  }

  function take(layout: 'tidy' | 'grid'): void {
    const query = new URLSearchParams(address.query);
    for (const ours of ['open', 'table']) query.delete(ours);
    query.set('layout', layout);
    void takeCsv(`/api/books/${book.id}/cohorts?${query}`, `cohorts-${layout}.csv`);
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
  <p class="flex min-h-9 shrink-0 items-center border-b border-base-300 py-1" data-testid="reading">
    <span
      ><Sentence
        parts={answer.reading}
        controls={answer.controls}
        onchoose={(n, v) => question.choose(n, v)}
      /></span
    >
  </p>
  <h1 class="shrink-0 pt-2 text-[1.45rem] leading-10 font-normal" data-testid="question">
    <Sentence parts={answer.sentence} controls={answer.controls} onchoose={(n, v) => question.choose(n, v)} />
  </h1>
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
          {#if laid?.abridged}
            <button class="word" onclick={() => question.lay('figures')}>every figure</button>
          {:else if canAbridge}
            <button class="word" onclick={() => question.lay('fitted')}>all on one page</button>
          {/if}
          <span
            >take it as CSV: <button class="word" onclick={() => take('tidy')}>one row a cell</button>,
            <button class="word" onclick={() => take('grid')}>as shown</button></span
          >
        </span>
      </p>
      <div class="mt-1 min-h-0 flex-1" bind:clientWidth={width} bind:clientHeight={height}>
        {#if laid && width > 0}
          <CohortGrid
            {answer}
            fit={laid}
            {room}
            {pointed}
            opened={question.opened}
            onpoint={(at) => (pointed = at)}
            onopen={(cohort, age) => question.open(cohort, age)}
          />
        {/if}
      </div>
      <Readout {answer} {pointed} />
      {#if width > 0}
        <AgeCurve
          title={curveTitle}
          values={allValues(answer)}
          {...answer.figure === 'retention' ? { low: answer.all.low, high: answer.all.high } : {}}
          rest={answer.figure === 'retention' ? (answer.rest?.retention_rate ?? []) : []}
          firstAge={firstAge(answer)}
          {width}
          height={CURVE_HEIGHT}
          {place}
          {tell}
          pointed={pointed?.age ?? null}
          onopen={(age) => question.open(ALL, age)}
        />
      {/if}
    </div>
    <aside class="w-[348px] shrink-0 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-4">
      {#if behindQuery}
        <BehindPanel
          book={book.id}
          revision={answer.revision}
          query={behindQuery}
          currency={answer.currency}
          onclose={() => question.close()}
        />
      {:else}
        <Guide {answer} onopenall={() => question.open(ALL, ALL)} />
      {/if}
    </aside>
  </main>
{/if}
