<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import { finished, percentOf, stop, type Job } from '$lib/jobs';
  import WordMenu from '$src/sentence/WordMenu.svelte';

  let {
    book,
    books,
    onbegin,
  }: { book: Schemas['BookShape']; books: Schemas['BookShape'][]; onbegin: () => void } = $props();
  const BEGIN = 'begin';
  const TAKE = 'take';
  const options = $derived([
    ...books.map((each) => ({ value: String(each.id), label: `${each.name} · ${each.currency}` })),
    { value: BEGIN, label: 'Begin another book, or bring one back' },
    { value: TAKE, label: 'Take this whole book out as a file' },
  ]);

  function chosen([value]: string[]): void {
    if (value === BEGIN) onbegin();
    else if (value === TAKE) void takeOut();
    else address.visit(Number(value), address.stop ?? 'intake');
  }

  let job = $state.raw<Job>();
  let problem = $state.raw<Problem>();
  const percent = $derived(percentOf(job));

  /** The server writes the file first, however long that takes; then the browser takes it. */
  async function takeOut(): Promise<void> {
    problem = undefined;
    try {
      const path = { book: book.id };
      const made = await finished(
        told(api.POST('/api/books/{book}/package', { params: { path } })),
        (now) => (job = now),
      );
      location.assign(`/api/jobs/${made.id}/file`);
    } catch (error) {
      problem = problemOf(error);
    } finally {
      job = undefined;
    }
  }
</script>

<WordMenu
  text="{book.name} · {book.currency}"
  title="Book"
  chosen={[String(book.id)]}
  {options}
  onchoose={chosen}
  quiet
/>
{#if job}
  <span class="absolute top-full left-0 text-xs whitespace-nowrap" role="status"
    >taking the book out, {percent} %
    <button class="word" onclick={() => job && stop(job)}>stop</button></span
  >
{:else if problem}
  <span class="absolute top-full left-0 z-10 w-72 bg-base-100 text-xs text-error" role="alert"
    >{problem.detail} {problem.remedy}</span
  >
{/if}
