<script lang="ts">
  import type { Snippet } from 'svelte';
  import FailedNote from './FailedNote.svelte';

  /** A part of the page that leaves the others alone when it cannot be drawn. */
  let { children }: { children: Snippet } = $props();

  const problemOf = (error: unknown) => ({
    type: 'urn:goldthread:Undrawn',
    title: 'This part of the page could not be drawn',
    status: 500,
    detail: 'Something failed on our side; nothing in the book was changed.',
    remedy: `Try again. What the browser says: ${error instanceof Error ? error.message : String(error)}`,
    field: '',
    row: null,
    at: null,
  });
</script>

<svelte:boundary>
  {@render children()}
  {#snippet failed(error, reset)}<FailedNote problem={problemOf(error)} onagain={reset} />{/snippet}
</svelte:boundary>
