<script lang="ts">
  import { untrack } from 'svelte';
  import type { Change } from '$lib/change.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  interface Props {
    text?: string;
    change: Change<string>;
    words: string;
    onclose: () => void;
  }
  let { text = '', change, words, onclose }: Props = $props();
  const LONGEST = 4000;
  let typed = $state(untrack(() => text));
  const atOnce = (field: HTMLElement) => field.focus();

  async function save(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await change.run(typed)) onclose();
  }
</script>

<form class="grid gap-2" onsubmit={save}>
  <textarea
    class="textarea w-full text-base"
    rows="3"
    maxlength={LONGEST}
    aria-label="Note"
    required
    bind:value={typed}
    {@attach atOnce}></textarea>
  {#if change.problem}<ProblemNote problem={change.problem} />{/if}
  <p class="flex items-center gap-4">
    <button class="btn btn-primary btn-sm" disabled={change.pending}>{words}</button>
    <button type="button" class="word text-sm" onclick={onclose}>leave it</button>
  </p>
</form>
