<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import SavedViews from './SavedViews.svelte';
  import Sentence from './Sentence.svelte';

  interface Props {
    reading: Schemas['PartShape'][];
    sentence: Schemas['PartShape'][];
    controls: Schemas['ControlShape'][];
    onchoose: (name: string, values: string[]) => void;
    /** Opens a figure that the sentence says. */
    onopen?: ((figure: string) => void) | undefined;
  }
  let { reading, sentence, controls, onchoose, onopen }: Props = $props();
  const words = $derived(sentence.map((part) => part.text).join(''));
</script>

<div
  class="flex min-h-9 shrink-0 flex-wrap items-center justify-between gap-x-4 border-b border-base-300 py-1"
>
  <p class="sentence" data-testid="reading"><Sentence parts={reading} {controls} {onchoose} /></p>
  <SavedViews {words} />
</div>
<h1
  class="sentence shrink-0 pt-2 text-[1.2rem] leading-8 font-normal desk:text-[1.45rem] desk:leading-10"
  data-testid="question"
>
  <Sentence parts={sentence} {controls} {onchoose} {onopen} />
</h1>
