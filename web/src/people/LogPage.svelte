<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import LogTable from './LogTable.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
</script>

<div class="mx-auto flex min-h-0 w-full max-w-5xl flex-1 flex-col gap-2 pt-2">
  <h1 class="text-2xl">Who did what in {book.name}</h1>
  <LogTable book={book.id} />
</div>
