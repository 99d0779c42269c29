<script lang="ts">
  import type { Snippet } from 'svelte';
  import { problem } from '$lib/api/client';
  import FailedNote from './FailedNote.svelte';

  /** A part of the page that leaves the others alone when it cannot be drawn. */
  let { children }: { children: Snippet } = $props();

  const problemOf = (error: unknown) =>
    problem(
      'Undrawn',
      'This part of the page could not be drawn',
      'Something failed on our side; nothing in the book was changed.',
      `Try again. What the browser says: ${error instanceof Error ? error.message : String(error)}`,
      500,
    );
</script>

<svelte:boundary>
  {@render children()}
  {#snippet failed(error, reset)}<FailedNote problem={problemOf(error)} onagain={reset} />{/snippet}
</svelte:boundary>
