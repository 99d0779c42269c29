<script lang="ts">
  import { tick, type Snippet } from 'svelte';
  import { asksToCopy, captionHere, copyBelow } from '$lib/cells';
  import { question } from '$lib/question.svelte';
  import Swatch from './Swatch.svelte';

  interface Entry {
    label: string;
    tone: number;
    hatched?: boolean;
  }
  interface Props {
    legend?: Entry[];
    /** Further marks of the legend. */
    marks?: Snippet;
    /** What is pointed at, in words; what can be done, while nothing is. */
    words: string;
    hint: string;
    /** The same figures as a table, for those who cannot see or point. */
    twin: Snippet;
    drawing: Snippet<[{ width: number; height: number }]>;
  }
  let { legend = [], marks, words, hint, twin, drawing }: Props = $props();

  const LOWEST = 160;
  /** The cells of the table are the drawing's own figures; it is made for a moment where the drawing stands. */
  const copy = copyBelow(captionHere());
  let isCopied = $state(false);
  let told = $state('');

  async function keyed(event: KeyboardEvent): Promise<void> {
    if (!asksToCopy(event)) return;
    event.preventDefault();
    isCopied = true;
    await tick();
    told = await copy();
    isCopied = false;
  }
  let width = $state(0);
  let height = $state(0);
</script>

<!-- copying is a key of the drawing as of the table -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="flex min-h-0 flex-1 flex-col"
  role="group"
  aria-label="Chart and its figures"
  tabindex={question.isTable ? -1 : 0}
  onkeydown={keyed}
>
  <div class="flex min-h-7 flex-wrap items-center gap-x-4 text-sm">
    {#each legend as { label, tone, hatched }, at (at)}
      <Swatch {tone} hatched={hatched ?? false}>{label}</Swatch>
    {/each}
    {@render marks?.()}
    <button
      type="button"
      class="word ml-auto text-sm not-printed"
      aria-pressed={question.isTable}
      onclick={() => question.showTable(!question.isTable)}
      >{question.isTable ? 'as a drawing' : 'as a table'}</button
    >
  </div>
  {#if question.isTable}
    {@render twin()}
  {:else}
    <div
      class="min-h-72 flex-1 overflow-hidden desk:min-h-0"
      bind:clientWidth={width}
      bind:clientHeight={height}
    >
      {#if width > 0}{@render drawing({ width, height: Math.max(LOWEST, height) })}{/if}
    </div>
    {#if isCopied}<div hidden>{@render twin()}</div>{/if}
    <span class="sr-only" aria-live="polite">{told}</span>
    <p class="mt-1 min-h-6 shrink-0 text-sm desk:h-6 desk:truncate" aria-live="polite" title={words}>
      {#if words}{words}{:else}<span class="quiet not-printed">{hint}</span>{/if}
    </p>
  {/if}
</div>
