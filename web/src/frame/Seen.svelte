<script lang="ts">
  import type { Snippet } from 'svelte';
  import { keepText, keptText } from '$lib/kept';

  /** An explanation: open on the first visit, a line to open it again from then on. */
  interface Props {
    name: string;
    title: string;
    /** There is more to say than the explanation. */
    isOpen?: boolean;
    children: Snippet;
  }
  let { name, title, isOpen = false, children }: Props = $props();
  const key = $derived(`goldthread-seen-${name}`);
  // svelte-ignore state_referenced_locally
  const wasSeen = keptText(`goldthread-seen-${name}`) !== null;
  $effect(() => keepText(key, '1'));
</script>

<details class="mt-2" open={!wasSeen || isOpen}>
  <summary class="quiet cursor-pointer text-sm">{title}</summary>
  <div class="pt-1.5">{@render children()}</div>
</details>
