<script lang="ts">
  import { said } from '$lib/format/reader';
  import { useQuestion } from '$lib/answer.svelte';
  import { UNLOADED, type Schemas } from '$lib/api/client';
  import { setCaption } from '$lib/cells';
  import { outside } from '$lib/outside.svelte';
  import { question } from '$lib/question.svelte';
  import EvidencePanel from '$src/evidence/EvidencePanel.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import Guarded from '$src/notes/Guarded.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import NothingRead from './NothingRead.svelte';
  import type { Stop } from './stop';
  import type { Answered, View } from './view';

  /** One view as a link shows it: the sentences, the drawing, what the words mean. Nothing is chosen. */
  let { shared, stop }: { shared: Schemas['SharedShape']; stop: Stop } = $props();
  let view = $state.raw<View>();
  let isUnloaded = $state(false);
  // svelte-ignore state_referenced_locally
  question.of(Object.keys(stop.views ?? {}), () => view);
  // svelte-ignore state_referenced_locally
  stop.views?.[shared.question]?.().then(
    (loaded) => (view = loaded.VIEW),
    () => (isUnloaded = true),
  );
  const asked = useQuestion<Answered, unknown>(() => ({
    name: shared.question,
    book: shared.book.id,
    query: {},
    rows: view?.rows,
    enabled: view !== undefined,
  }));
  const answer = $derived(asked.answer);
  const given = {
    get book() {
      return shared.book;
    },
    get name() {
      return shared.question;
    },
    get answer() {
      return answer as Answered;
    },
    rows: asked,
    stale: false,
  };
  const term = $derived(answer?.manner.find((part) => part.term !== null)?.text ?? '');
  const words = (parts: Schemas['PartShape'][]) => said(parts.map((part) => part.text).join(''));
  setCaption(() => (answer ? [words(answer.sentence), words(answer.reading), words(answer.manner)] : []));
  const problem = $derived(isUnloaded ? UNLOADED : asked.problem);
  const who = $derived(shared.made_by || 'whoever gave you the link');
  const isAtItsEnd = $derived(outside.isAtItsEnd || (question.figure && !shared.opens_figures));
  const nothing = () => undefined;
</script>

{#if problem}<FailedNote {problem} onagain={() => (isUnloaded ? location.reload() : asked.again())} />{/if}
{#if answer && view}
  {@const { drawing: Drawing, about: About } = view}
  <div class="flex shrink-0 flex-wrap justify-between gap-x-4 border-b border-base-300 py-1">
    <p class="sentence" data-testid="reading">
      <Sentence parts={answer.reading} controls={[]} onchoose={nothing} />
    </p>
    {#if !words(answer.sentence).startsWith(shared.name)}<p class="quiet">{shared.name}</p>{/if}
  </div>
  <h1
    class="sentence shrink-0 pt-2 text-[1.2rem] leading-8 font-normal desk:text-[1.45rem] desk:leading-10"
    data-testid="question"
  >
    <Sentence parts={answer.sentence} controls={[]} onchoose={nothing} />
  </h1>
  <div class="flex min-h-0 flex-1 flex-col gap-4 pt-1 desk:flex-row desk:gap-6">
    <div class="flex min-w-0 flex-1 flex-col">
      <p class="sentence quiet min-h-7 text-sm">
        <Sentence parts={answer.manner} controls={[]} onchoose={nothing} />
        {#if About}<About {...given} />{/if}
      </p>
      <div class="flex min-h-[26rem] flex-1 flex-col desk:min-h-0">
        {#if answer.orders_read === 0 && !view.withoutOrders}
          <NothingRead book={shared.book.id} holdsOrders={answer.orders_on_record > 0} />
        {:else}
          <Guarded><Drawing {...given} /></Guarded>
        {/if}
      </div>
    </div>
    <aside
      class={[
        'card card-border block shrink-0 bg-base-100 p-4 empty:hidden desk:w-[320px] desk:overflow-y-auto xl:w-[332px]',
        isAtItsEnd && 'desk:self-start',
      ]}
    >
      {#if isAtItsEnd}
        <p class="border-l-2 border-primary pl-2 text-sm" role="status">
          This link shows one view{shared.opens_figures ? '' : ' and opens no figures'}. For more, ask {who}.
          <button
            class="word"
            onclick={() => {
              outside.isAtItsEnd = false;
              if (!shared.opens_figures) question.close();
            }}>close</button
          >
        </p>
      {:else if question.help}
        {#await import('$src/help/HelpPanel.svelte') then { default: HelpPanel }}
          <HelpPanel
            chapter={question.help}
            {term}
            onchoose={(chapter) => question.explain(chapter)}
            onclose={() => question.closeHelp()}
          />
        {:catch}<FailedNote problem={UNLOADED} onagain={() => location.reload()} />{/await}
      {:else if question.figure}
        <EvidencePanel
          book={shared.book.id}
          question={shared.question}
          query={{ ...question.figure }}
          currency={answer.currency}
          onclose={() => question.close()}
        />
      {:else if view.howToRead}
        <h2 class="text-lg">How to read it</h2>
        <p class="quiet text-sm">{view.howToRead}</p>
      {/if}
    </aside>
  </div>
{:else if !problem}
  <h1 class="quiet mt-6 text-lg font-normal"><span role="status">Reading the book…</span></h1>
{/if}
