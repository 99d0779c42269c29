<script lang="ts">
  import { STOPS } from '$lib/address.svelte';
  import { isTyping } from '$lib/keys';

  let dialog: HTMLDialogElement;
  const keys: [string, string][] = [
    ...STOPS.map(({ title }, place): [string, string] => [String(place + 1), `go to ${title}`]),
    ['/', 'find a customer'],
    ['← → ↑ ↓', 'move in the table or list; along an opened thread'],
    ['+ − 0', 'zoom an opened thread, show all of it'],
    ['h', 'hold the customers that are listed'],
    ['Enter', 'open the customer, or what stands behind the figure'],
    ['Tab, Enter', 'change a word of a sentence'],
    ['Esc', 'step back'],
    ['?', 'show this'],
  ];

  function pressed(event: KeyboardEvent): void {
    if (event.key === '?' && !isTyping(event)) dialog.showModal();
  }
</script>

<svelte:window onkeydown={pressed} />

<button class="btn btn-ghost btn-sm text-sm font-normal" onclick={() => dialog.showModal()}>
  Keys <kbd class="kbd kbd-sm">?</kbd>
</button>
<dialog bind:this={dialog} class="modal" aria-labelledby="keys-title">
  <div class="modal-box max-w-sm">
    <h2 id="keys-title" class="mb-3 text-xl">Keys</h2>
    <dl class="grid grid-cols-[7rem_1fr] gap-y-2">
      {#each keys as [key, meaning] (key)}
        <dt><kbd class="kbd kbd-sm">{key}</kbd></dt>
        <dd>{meaning}</dd>
      {/each}
    </dl>
    <form method="dialog" class="modal-action"><button class="btn btn-sm">Close</button></form>
  </div>
  <form method="dialog" class="modal-backdrop"><button>Close</button></form>
</dialog>
