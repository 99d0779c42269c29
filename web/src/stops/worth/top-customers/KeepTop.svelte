<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import { keepOf } from '$src/evidence/source';
  import KeepList from '$src/lists/KeepList.svelte';

  let { book, answer }: { book: Schemas['BookShape']; answer: Schemas['TopCustomersShape'] } = $props();
  const shown = $derived({ book: book.id, question: 'top-customers', query: question.query });
</script>

{#if answer.count > 0}
  <KeepList
    customers={answer.count}
    name={answer.list_name}
    keep={(name) => keepOf(shown, name)}
    instead={{ top: null }}
  />
{/if}
