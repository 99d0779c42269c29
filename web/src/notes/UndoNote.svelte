<script lang="ts">
  import { untrack } from 'svelte';
  import { useChange } from '$lib/change.svelte';
  import { undo, type Offer } from '$lib/undo.svelte';
  import ProblemNote from './ProblemNote.svelte';

  /** What was deleted a moment ago, with the way back: in the panel where that was done, or on the page once none is open. */
  let { inPanel = false }: { inPanel?: boolean } = $props();
  const shown = $derived(inPanel || undo.panels === 0 ? undo.offer : undefined);
  const back = useChange(
    (offer: Offer) => offer.bringBack(),
    () => (undo.offer = undefined),
  );

  $effect(() => {
    if (!inPanel) return;
    untrack(() => (undo.panels += 1));
    return () => (undo.panels -= 1);
  });

  /** What was pressed is gone: what can be done next takes the focus. */
  const taking = (button: HTMLElement) => button.focus();
</script>

{#if shown}
  <div
    role="status"
    class={[
      'flex flex-wrap items-baseline gap-x-3 rounded-box bg-base-200 px-3 py-2',
      !inPanel && 'popped fixed bottom-4 left-1/2 -translate-x-1/2 not-printed',
    ]}
    onpointerenter={() => undo.stay()}
    onpointerleave={() => undo.leave()}
    onfocusin={() => undo.stay()}
    onfocusout={() => undo.leave()}
  >
    <span>{shown.words}</span>
    <button class="word" disabled={back.pending} onclick={() => void back.run(shown)} {@attach taking}
      >undo</button
    >
    {#if back.problem}<ProblemNote problem={back.problem} />{/if}
  </div>
{/if}
