<script lang="ts" module>
  import type { Schemas } from '$lib/api/client';

  /** What every answer says of itself. */
  export type Answered = Pick<
    Schemas['CohortsShape'],
    'reading' | 'sentence' | 'manner' | 'controls' | 'currency' | 'revision'
  >;
</script>

<script lang="ts">
  import type { Snippet } from 'svelte';
  import { address } from '$lib/address.svelte';
  import type { Asked } from '$lib/answer.svelte';
  import { useCommand } from '$lib/commands.svelte';
  import DownloadMenu from '$src/download/DownloadMenu.svelte';
  import EvidencePanel from '$src/evidence/EvidencePanel.svelte';
  import type { EvidenceSource } from '$src/evidence/source';
  import Question from '$src/sentence/Question.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';

  interface Table {
    file: string;
    query: object;
    label: string;
  }
  interface Props {
    book: number;
    stop: string;
    asked: Asked<Answered>;
    /** What changes a word of the sentences, and closes what is opened. */
    question: {
      choose: (name: string, values: string[]) => void;
      open?: (...parts: string[]) => void;
      close: () => void;
    };
    /** The tables that can be taken as files, and what the picture of this answer is called. */
    tables: Table[];
    name: string;
    /** The figure that is opened, if one is. */
    evidence?: EvidenceSource | undefined;
    /** Words about the answer, above it. */
    about?: Snippet;
    tools?: Snippet;
    drawing: Snippet;
    /** Stands beside the drawing while nothing is opened. */
    guide?: Snippet;
    /** Stands beside a narrow drawing, as a page of its own. */
    page?: Snippet | undefined;
    /** There is nothing to ask about yet: what to do first. */
    empty?: Snippet | undefined;
  }
  let {
    book,
    stop,
    asked,
    question,
    tables,
    name,
    evidence,
    about,
    tools,
    drawing,
    guide,
    page,
    empty,
  }: Props = $props();
  const answer = $derived(asked.answer);
  const problem = $derived(asked.problem);
  const onchoose = (name: string, values: string[]) => question.choose(name, values);
  let drawn = $state<HTMLElement>();
  const words = (parts: Schemas['PartShape'][]) => parts.map((part) => part.text).join('');

  useCommand('back', () => {
    if (evidence ?? page) question.close();
  });
</script>

{#if problem}
  <FailedNote
    {problem}
    onagain={asked.again}
    onplain={() => address.visit(book, stop, new URLSearchParams())}
  />
{/if}
{#if empty}
  {@render empty()}
{:else if answer}
  <Question
    reading={answer.reading}
    sentence={answer.sentence}
    controls={answer.controls}
    {onchoose}
    onopen={question.open ? (figure) => question.open?.(figure) : undefined}
  />
  <div class="flex min-h-0 flex-1 flex-col gap-4 pt-1 desk:flex-row desk:gap-6" class:dimmed={asked.stale}>
    <div class={['flex min-w-0 flex-col', page ? 'desk:w-[416px] desk:shrink-0' : 'flex-1']}>
      <div
        class={[
          'flex min-h-7 flex-wrap items-baseline justify-between gap-x-4 text-sm',
          !page && 'desk:flex-nowrap',
        ]}
      >
        {#if about}{@render about()}{:else}<p class="sentence quiet">
            <Sentence parts={answer.manner} controls={answer.controls} {onchoose} />
          </p>{/if}
        <span class={['flex flex-wrap gap-x-4 not-printed', !page && 'shrink-0']}>
          {@render tools?.()}
          <DownloadMenu
            {tables}
            {name}
            drawing={drawn}
            question={words(answer.sentence)}
            reading={`${words(answer.reading)} ${words(answer.manner)}`}
          />
        </span>
      </div>
      <div class="flex min-h-[26rem] flex-1 flex-col desk:min-h-0" bind:this={drawn}>{@render drawing()}</div>
    </div>
    {#if page}
      {@render page()}
    {:else if evidence || guide}
      <aside
        class="card card-border shrink-0 block bg-base-100 p-4 desk:w-[320px] desk:overflow-y-auto xl:w-[332px]"
      >
        {#if evidence}
          <EvidencePanel
            {book}
            revision={answer.revision}
            source={evidence}
            currency={answer.currency}
            onclose={() => question.close()}
          />
        {:else}
          {@render guide?.()}
        {/if}
      </aside>
    {/if}
  </div>
{:else}
  <h1 class="quiet mt-6 text-lg font-normal">
    {#if problem}Nothing to show yet.{:else}<span role="status">Reading the book…</span>{/if}
  </h1>
{/if}
