<script lang="ts">
  import { untrack } from 'svelte';
  import type { Schemas } from '$lib/api/client';
  import type { Change } from '$lib/change.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  type Written = Schemas['Written'];
  interface Props {
    /** What is written so far. */
    from: Written;
    /** Whether something is pinned beside the words. */
    pinned: boolean;
    change: Change<Written>;
    words: string;
    onclose: () => void;
  }
  let { from, pinned, change, words, onclose }: Props = $props();
  let typed = $state(untrack(() => ({ ...from })));
  const atOnce = (field: HTMLElement) => field.focus();

  async function save(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await change.run(typed)) onclose();
  }
</script>

<form class="grid gap-2" onsubmit={save}>
  <label class="grid gap-1 text-sm"
    >Heading<input
      class="input w-full"
      maxlength="200"
      placeholder="what was found, in a line"
      bind:value={typed.heading}
      {@attach atOnce}
    /></label
  >
  <label class="grid gap-1 text-sm"
    >Words<textarea class="textarea w-full text-base" rows="4" maxlength="8000" bind:value={typed.words}
    ></textarea></label
  >
  <p class="quiet text-sm">*emphasis*, **strong**, lists by lines that begin with - or 1.</p>
  {#if pinned}
    <div class="flex flex-wrap gap-x-5 text-sm" role="radiogroup" aria-label="Shown">
      <label class="flex min-h-8 items-center gap-2"
        ><input
          type="radio"
          class="radio radio-sm"
          checked={typed.live}
          onchange={() => (typed.live = true)}
        />live: as it is whenever it is looked at</label
      >
      <label class="flex min-h-8 items-center gap-2"
        ><input
          type="radio"
          class="radio radio-sm"
          checked={!typed.live}
          onchange={() => (typed.live = false)}
        />as it is now, from now on</label
      >
    </div>
  {/if}
  {#if change.problem}<ProblemNote problem={change.problem} />{/if}
  <p class="flex items-center gap-4">
    <button class="btn btn-primary btn-sm" disabled={change.pending}>{words}</button>
    <button type="button" class="word text-sm" onclick={onclose}>leave it</button>
  </p>
</form>
