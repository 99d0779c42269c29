<script lang="ts">
  import { address } from '$lib/address.svelte';

  /** What to do first in a book that holds nothing to ask about. */
  let { book }: { book: number } = $props();
</script>

<div class="mt-8 max-w-prose">
  <h1 class="text-3xl">This book holds nothing yet.</h1>
  <p class="quiet my-3">Import an order export, and every stop fills by itself.</p>
  <button class="btn btn-primary" onclick={() => address.visit(book, 'import')}>Import a file</button>
</div>
