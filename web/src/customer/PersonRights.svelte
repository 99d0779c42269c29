<script lang="ts">
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { counted } from '$lib/format/figures';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  /** What one customer may ask for: what is on record of them, and that it goes. */
  interface Props {
    book: number;
    customer: number;
    name: string;
  }
  let { book, customer, name }: Props = $props();
  const path = $derived({ book, customer });
  const file = $derived(`/api/books/${book}/customers/${customer}/record`);
  let backups = $state.raw<string[]>();
  let erased = $state.raw<Schemas['ErasureShape']>();

  const look = useChange(
    () => answerOf(api.GET('/api/books/{book}/customers/{customer}/erasure', { params: { path } })),
    (found) => (backups = found.backups),
  );
  const erase = useChange(
    () => answerOf(api.POST('/api/books/{book}/customers/{customer}/erasure', { params: { path } })),
    (done) => {
      erased = done;
      backups = undefined;
    },
  );
  const problem = $derived(look.problem ?? erase.problem);
</script>

{#snippet panel(close: () => void)}
  <div class="grid w-[26rem] max-w-full gap-3 text-sm">
    <p>All that is on record of {name}, for whoever asks what is kept of them:</p>
    <p class="flex gap-4">
      <DownloadButton file="{file}?form=html" accept="text/html">as a page</DownloadButton>
      <DownloadButton file="{file}?form=json" accept="application/json">as JSON</DownloadButton>
    </p>
    {#if erased}
      <p role="status">
        Erased. {counted(erased.orders, 'order')} and {counted(erased.payments, 'payment')} stay, under {erased.label}.
      </p>
    {:else if backups}
      <p>
        Erase {name} for good? Name, contacts and attributes go from every file on record; orders stay under a number,
        and a later file brings nothing back.
        {#if backups.length > 0}
          {counted(backups.length, 'backup')} still {backups.length === 1 ? 'holds' : 'hold'} them: {backups
            .slice(0, 5)
            .join(', ')}{backups.length > 5 ? ', …' : ''}.
        {/if}
      </p>
      <p class="flex gap-3">
        <button class="btn btn-error btn-sm" disabled={erase.pending} onclick={() => erase.run(undefined)}
          >Erase for good</button
        >
        <button class="btn btn-outline btn-sm" onclick={close}>Keep</button>
      </p>
    {:else}
      <p>
        <button class="word" disabled={look.pending} onclick={() => look.run(undefined)}
          >erase this person</button
        >
      </p>
    {/if}
    {#if problem}<ProblemNote {problem} />{/if}
  </div>
{/snippet}

<span class="text-sm"><WordPanel text="personal data" title="Personal data" {panel} /></span>
