<script lang="ts">
  import type { Snippet } from 'svelte';
  import { address } from '$lib/address.svelte';

  /** What to do first in a book that holds nothing to ask about. */
  let { book, title, children }: { book: number; title: string; children: Snippet } = $props();
</script>

<div class="mt-8 max-w-prose">
  <h1 class="text-3xl">{title}</h1>
  <p class="quiet my-3">{@render children()}</p>
  <button class="btn btn-primary" onclick={() => address.visit(book, 'intake')}>Go to Intake</button>
</div>
