<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import { searchOf } from '$lib/search';
  import DownloadButton from '$src/download/DownloadButton.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
</script>

<DownloadButton file="/api/books/{book.id}/ask/due/calendar?{searchOf(question.query)}" accept="text/calendar"
  >calendar entries</DownloadButton
>
