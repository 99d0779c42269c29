<script lang="ts">
  import { searchOf } from '$lib/search';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import { question } from '$lib/question.svelte';

  /** A list as the kinds of file that the work needs. */
  interface Props {
    book: number;
    view: 'follow-up' | 'worked';
  }
  let { book, view }: Props = $props();
  const files = $derived(`/api/books/${book}/ask/${view}`);
  const search = $derived(searchOf(question.query));
</script>

<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Take it along</h2>
<p class="flex flex-wrap gap-x-4 gap-y-1 text-sm not-printed">
  {#if view === 'worked'}
    <button class="word" onclick={() => question.open('mail')}>write to them</button>
    <DownloadButton file="{files}/calendar?{search}" accept="text/calendar">call dates</DownloadButton>
  {/if}
  <DownloadButton file="{files}/cards?{search}" accept="text/vcard">address cards</DownloadButton>
  <DownloadButton file="{files}/phone-sheet?{search}" accept="text/html">sheet to print</DownloadButton>
</p>
