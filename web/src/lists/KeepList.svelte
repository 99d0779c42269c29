<script lang="ts">
  import { onMount, type Snippet } from 'svelte';
  import { address } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { COMMANDS, commands } from '$lib/commands.svelte';
  import { counted } from '$lib/format/figures';
  import { me } from '$lib/me.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  interface Props {
    /** How many customers there are to keep. */
    customers: number;
    /** The name that is proposed. */
    name: string;
    keep: (name: string) => Promise<Schemas['CustomerListShape']>;
    /** What else of the address goes once the list is in use: it says the same. */
    instead?: Record<string, null>;
    /** Whether the key for lists opens this one. */
    keyed?: boolean;
    /** What else is chosen when the list is made. */
    further?: Snippet;
  }
  let { customers, name, keep, instead = {}, keyed = true, further }: Props = $props();
  const whom = $derived(customers === 1 ? 'this customer' : `these ${counted(customers, 'customer')}`);
  /** The name somebody typed: it stays when another one is proposed meanwhile. */
  let typed = $state<string>();
  let panel = $state<WordPanel>();

  // the proposed name gets a number where it is taken; a name that somebody chose does not
  const keeping = useChange(
    () => keep(typed?.trim() === name ? '' : (typed ?? '')),
    (list) => address.change({ ...instead, list: list.name, list_as: null }),
  );

  async function save(event: SubmitEvent, close: () => void): Promise<void> {
    event.preventDefault();
    if (!(await keeping.run(undefined))) return;
    typed = undefined;
    close();
  }

  onMount(() =>
    keyed
      ? commands.on(COMMANDS.keep.key, () => {
          if (customers > 0) panel?.show();
        })
      : undefined,
  );
</script>

{#snippet form(close: () => void)}
  <form class="grid w-[26rem] max-w-full gap-2" onsubmit={(event) => save(event, close)}>
    <label class="grid gap-1 text-sm">
      Name of the list
      <input
        class="input input-sm w-full"
        maxlength="120"
        required
        bind:value={() => typed ?? name, (text) => (typed = text)}
      />
    </label>
    {@render further?.()}
    {#if keeping.problem}<ProblemNote problem={keeping.problem} />{/if}
    <p class="quiet text-sm">
      The list stays as it is now, whatever is imported later. Every stop can show it alone, compare it with
      everybody else, or leave it out.
    </p>
    <button class="btn btn-primary btn-sm justify-self-start" disabled={keeping.pending}
      >Keep {whom} as a list</button
    >
  </form>
{/snippet}

{#if me.may('keep lists and views')}
  <span class="text-sm not-printed">
    <WordPanel
      bind:this={panel}
      text="keep {whom} as a list"
      title="Keep as a list"
      panel={form}
      disabled={customers === 0}
    />
  </span>
{/if}
