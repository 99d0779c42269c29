<script lang="ts">
  import { said } from '$lib/format/reader';
  import { address } from '$lib/address.svelte';
  import { useQuestion } from '$lib/answer.svelte';
  import { UNLOADED, type Schemas } from '$lib/api/client';
  import { setCaption } from '$lib/cells';
  import { useCommand } from '$lib/commands.svelte';
  import { me } from '$lib/me.svelte';
  import { question } from '$lib/question.svelte';
  import DownloadMenu from '$src/download/DownloadMenu.svelte';
  import EvidencePanel from '$src/evidence/EvidencePanel.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import Guarded from '$src/notes/Guarded.svelte';
  import Question from '$src/sentence/Question.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import CopyLink from '$src/download/CopyLink.svelte';
  import PinThis from '$src/briefs/PinThis.svelte';
  import ShareOutside from '$src/people/ShareOutside.svelte';
  import EmptyBook from './EmptyBook.svelte';
  import NothingRead from './NothingRead.svelte';
  import type { Stop } from './stop';
  import type { Answered, View } from './view';

  let { book, stop }: { book: Schemas['BookShape']; stop: Stop } = $props();
  let loaded = $state.raw<Record<string, View>>({});
  // svelte-ignore state_referenced_locally
  question.of(Object.keys(stop.views ?? {}), (name) => loaded[name], stop.along);
  let isUnloaded = $state(false);
  const next = $derived(loaded[question.name]);

  $effect(() => {
    const { name } = question;
    if (!loaded[name]) void load(name);
  });

  async function load(name: string): Promise<void> {
    try {
      const { VIEW } = (await stop.views?.[name]?.()) ?? {};
      if (!VIEW) return;
      loaded = { ...loaded, [name]: VIEW };
      isUnloaded = false;
    } catch {
      isUnloaded = true;
    }
  }

  const asked = useQuestion<Answered, unknown>(() => ({
    name: question.name,
    book: book.id,
    query: question.query,
    rows: next?.rows,
    enabled: next !== undefined,
  }));
  /** The view whose answer is here: the one before, while the next one's is under way. */
  const view = $derived(loaded[asked.name ?? '']);
  const answer = $derived(view?.meanwhile?.() ?? asked.answer);
  /** Each on its own: an answer that pales is not drawn anew. */
  const given = {
    get book() {
      return book;
    },
    get name() {
      return asked.name ?? '';
    },
    get answer() {
      return answer as Answered;
    },
    rows: asked,
    get stale() {
      return asked.stale;
    },
  };
  const problem = $derived(isUnloaded ? UNLOADED : asked.problem);
  const opened = $derived(
    question.figure &&
      question.name === asked.name && {
        question: question.name,
        query: { ...question.figures, ...question.figure },
      },
  );
  const term = $derived(answer?.manner.find((part) => part.term !== null)?.text ?? '');
  const help = $derived(question.help && answer ? question.help : undefined);
  const page = $derived(!help && view?.page?.isOpen() ? view.page : undefined);
  const table = $derived({
    file: `/api/books/${book.id}/ask/${question.name}/file`,
    query: question.query,
    label: '',
  });
  let drawn = $state<HTMLElement>();
  const words = (parts: Schemas['PartShape'][]) => said(parts.map((part) => part.text).join(''));
  setCaption(() => (answer ? [words(answer.sentence), words(answer.reading), words(answer.manner)] : []));
  /** What is shown since the question changed, for whoever does not see it. */
  let answered = $state('');
  let heard: Answered | undefined;
  $effect(() => {
    if (!answer || asked.stale) return;
    if (heard && heard !== answer) answered = `Answered: ${words(answer.sentence)}`;
    heard = answer;
  });
  const onchoose = (name: string, values: string[]) => question.choose(name, values);

  useCommand('stepBack', () => {
    if (help) question.closeHelp();
    else if (opened) question.close();
    else page?.close();
  });
</script>

<p class="sr-only" aria-live="polite" data-testid="answered">{answered}</p>
{#if problem}
  <FailedNote
    {problem}
    onagain={() => (isUnloaded ? location.reload() : asked.again())}
    onplain={() => address.visit(book.id, stop.name, new URLSearchParams())}
  />
{/if}
{#if answer?.customers_on_record === 0}
  <EmptyBook book={book.id} />
{:else if answer && view}
  {@const { drawing: Drawing, guide: Guide, about: About, tools: Tools } = view}
  <Question
    reading={answer.reading}
    sentence={answer.sentence}
    controls={answer.controls}
    {onchoose}
    onopen={(figure) => question.open(figure)}
  />
  <div class="flex min-h-0 flex-1 flex-col gap-4 pt-1 desk:flex-row desk:gap-6" class:dimmed={asked.stale}>
    <div class={['flex min-w-0 flex-col', page ? 'desk:w-[416px] desk:shrink-0' : 'flex-1']}>
      <div
        class={[
          'flex min-h-7 flex-wrap items-baseline justify-between gap-x-4 text-sm desk:min-h-12 desk:content-start',
          !page && 'desk:flex-nowrap',
        ]}
      >
        <p class="sentence quiet">
          <Sentence parts={answer.manner} controls={answer.controls} {onchoose} />
          {#if About}<About {...given} />{/if}
        </p>
        <span class={['flex flex-wrap gap-x-4 not-printed', !page && 'desk:shrink-0']}>
          {#if Tools}<Tools {...given} />{/if}
          <PinThis book={book.id} />
          <CopyLink />
          {#if me.session?.has_accounts && me.may('decide about the book')}<ShareOutside
              {book}
              words={words(answer.sentence)}
            />{/if}
          <DownloadMenu
            tables={view.tables?.(table, book.id) ?? [table]}
            name={stop.name === view.name ? stop.name : `${stop.name}-${view.name}`}
            drawing={drawn}
            question={words(answer.sentence)}
            reading={`${words(answer.reading)} ${words(answer.manner)}`}
          />
        </span>
      </div>
      <div class="flex min-h-[26rem] flex-1 flex-col desk:min-h-0" bind:this={drawn}>
        {#if answer.orders_read === 0 && !view.withoutOrders}
          <NothingRead book={book.id} holdsOrders={answer.orders_on_record > 0} />
        {:else}
          <Guarded><Drawing {...given} /></Guarded>
        {/if}
      </div>
    </div>
    {#if page}
      <Guarded><page.drawing {book} /></Guarded>
    {:else if help || opened || Guide || view.howToRead}
      <aside
        class="card card-border block shrink-0 bg-base-100 p-4 desk:w-[320px] desk:overflow-y-auto xl:w-[332px]"
      >
        <Guarded>
          {#if help}
            {#await import('$src/help/HelpPanel.svelte') then { default: HelpPanel }}
              <HelpPanel
                chapter={help}
                {term}
                onchoose={(chapter) => question.explain(chapter)}
                onclose={() => question.closeHelp()}
              />
            {:catch}<FailedNote problem={UNLOADED} onagain={() => location.reload()} />{/await}
          {:else if opened}
            <EvidencePanel
              book={book.id}
              {...opened}
              currency={answer.currency}
              onclose={() => question.close()}
            />
          {:else}
            {#if Guide}<Guide {...given} />{/if}
            {#if view.howToRead}
              <h2 class="text-lg">How to read it</h2>
              <p class="quiet text-sm">{view.howToRead}</p>
            {/if}
          {/if}
        </Guarded>
      </aside>
    {/if}
  </div>
{:else}
  <h1 class="quiet mt-6 text-lg font-normal">
    {#if problem}Nothing to show yet.{:else}<span role="status">Reading the book…</span>{/if}
  </h1>
{/if}
