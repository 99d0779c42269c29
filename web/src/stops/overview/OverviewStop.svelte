<script lang="ts">
  import { useAnswer } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import EmptyBook from '$src/frame/EmptyBook.svelte';
  import QuestionPage from '$src/frame/QuestionPage.svelte';
  import Panel from './Panel.svelte';
  import Picture from './Picture.svelte';
  import { question } from './question.svelte';
  import Words from './Words.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const bookId = $derived(book.id);
  const summary = useAnswer('summary', () => ({ book: bookId, query: question.query }));
  const isEmpty = $derived(book.revision === 0);
</script>

{#snippet emptyBook()}
  <EmptyBook book={book.id} title="This book holds nothing yet.">
    Import an order export, and this page says how the book stands.
  </EmptyBook>
{/snippet}

<QuestionPage
  book={book.id}
  stop="overview"
  asked={summary}
  {question}
  tables={[{ file: `/api/books/${book.id}/ask/summary/file`, query: question.query, label: '' }]}
  name="overview"
  empty={isEmpty ? emptyBook : undefined}
>
  {#snippet drawing()}
    {#if summary.answer}
      <div class="min-h-0 flex-1 desk:overflow-y-auto">
        {#each summary.answer.paragraphs as paragraph (paragraph.topic)}
          <section class="flex items-center gap-6 border-b border-base-300 py-3">
            <span class="hidden desk:block"
              ><Picture topic={paragraph.topic} pictures={summary.answer.pictures} /></span
            >
            <div>
              <p class="font-serif text-[1.2rem] leading-7"><Words book={book.id} said={paragraph.said} /></p>
              <p class="quiet text-sm"><Words book={book.id} said={paragraph.note} /></p>
            </div>
          </section>
        {:else}
          <p class="mt-4">No order counts yet. Import a file, or let another status count.</p>
        {/each}
      </div>
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if summary.answer}<Panel book={book.id} answer={summary.answer} />{/if}
  {/snippet}
</QuestionPage>
