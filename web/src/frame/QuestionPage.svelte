<script lang="ts" module>
  import type { Schemas } from '$lib/api/client';

  /** What the answers of every stop with figures have in common. */
  export type Answered = Pick<
    Schemas['CohortsShape'],
    'reading' | 'sentence' | 'manner' | 'controls' | 'currency' | 'revision'
  >;
</script>

<script lang="ts">
  import type { Snippet } from 'svelte';
  import { address, type Stop } from '$lib/address.svelte';
  import { problemOf } from '$lib/api/client';
  import { isTyping } from '$lib/keys';
  import Question from '$src/sentence/Question.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';
  import TakeMenu from '$src/sentence/TakeMenu.svelte';
  import BehindPanel from '$src/trace/BehindPanel.svelte';
  import type { Trace } from '$src/trace/trace';
  import ProblemNote from './ProblemNote.svelte';

  interface Props {
    book: number;
    stop: Stop;
    answer: Answered | undefined;
    error: unknown;
    /** The answer is to an earlier question. */
    stale: boolean;
    /** What is opened, if anything is. */
    trace: Trace | undefined;
    query: object;
    /** What files of this answer are called, and how else its table can be laid out. */
    name: string;
    layouts?: { value: string; label: string }[];
    onchoose: (name: string, values: string[]) => void;
    onclose: () => void;
    tools?: Snippet;
    drawing: Snippet;
    /** Stands beside the drawing while nothing is opened. */
    guide: Snippet;
  }
  let {
    book,
    stop,
    answer,
    error,
    stale,
    trace,
    query,
    name,
    layouts = [],
    onchoose,
    onclose,
    tools,
    drawing,
    guide,
  }: Props = $props();
  let drawn = $state<HTMLElement>();
  const words = (parts: Schemas['PartShape'][]) => parts.map((part) => part.text).join('');

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'Escape' && trace && !isTyping(event)) onclose();
  }
</script>

<svelte:window onkeydown={pressed} />

{#if error}
  <div class="mt-4"><ProblemNote problem={problemOf(error)} /></div>
  <button
    class="btn btn-outline btn-sm mt-3 self-start"
    onclick={() => address.visit(book, stop, new URLSearchParams())}>Back to the plain question</button
  >
{:else if answer}
  <Question reading={answer.reading} sentence={answer.sentence} controls={answer.controls} {onchoose} />
  <main class="flex min-h-0 flex-1 gap-6 pt-1" class:dimmed={stale}>
    <div class="flex min-w-0 flex-1 flex-col">
      <p class="quiet flex min-h-7 flex-wrap items-center justify-between gap-x-4 text-sm">
        <span><Sentence parts={answer.manner} controls={answer.controls} {onchoose} /></span>
        <span class="flex gap-4 whitespace-nowrap not-printed">
          {@render tools?.()}
          <TakeMenu
            file="/api/books/{book}/{stop}/file"
            {query}
            {name}
            {layouts}
            drawing={drawn}
            question={words(answer.sentence)}
            reading={`${words(answer.reading)} ${words(answer.manner)}`}
          />
        </span>
      </p>
      <div class="flex min-h-0 flex-1 flex-col" bind:this={drawn}>{@render drawing()}</div>
    </div>
    <aside class="w-[348px] shrink-0 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-4">
      {#if trace}
        <BehindPanel {book} revision={answer.revision} {trace} currency={answer.currency} {onclose} />
      {:else}
        {@render guide()}
      {/if}
    </aside>
  </main>
{/if}
