<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import Picture from './Picture.svelte';
  import Words from './Words.svelte';

  let { book, answer }: { book: Schemas['BookShape']; answer: Schemas['SummaryShape'] } = $props();
</script>

<div class="min-h-0 flex-1 desk:overflow-y-auto">
  {#each answer.paragraphs as paragraph (paragraph.topic)}
    <section class="flex items-center gap-6 border-b border-base-300 py-3">
      <span class="hidden desk:block"><Picture topic={paragraph.topic} pictures={answer.pictures} /></span>
      <div>
        <p class="font-serif text-[1.2rem] leading-7"><Words book={book.id} words={paragraph.said} /></p>
        <p class="quiet text-sm"><Words book={book.id} words={paragraph.note} /></p>
      </div>
    </section>
  {:else}
    <p class="mt-4">No order counts yet. Import a file, or let another status count.</p>
  {/each}
</div>
