<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, answerOf } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { finished, stopped, type Job } from '$lib/jobs';
  import { currencyAt } from '$lib/places';
  import JobProgress from '$src/notes/JobProgress.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  let { isFirst, onclose }: { isFirst: boolean; onclose: () => void } = $props();
  const client = useQueryClient();
  let name = $state('');
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
  let currency = $state(currencyAt(here));
  let timeZone = $state(here);
  let importing = $state.raw<Job>();
  let filling = $state.raw<Job>();

  const begin = useChange(
    () => answerOf(api.POST('/api/books', { body: { name, currency, time_zone: timeZone } })),
    (book) => visited(book.id),
  );
  const importBook = useChange(
    (file: File) => {
      const form = new FormData();
      form.append('file', file);
      form.append('name', name);
      return finished(
        answerOf(
          api.POST('/api/books/package', {
            body: form as unknown as { file: string; name: string },
            bodySerializer: (body) => body as unknown as FormData,
          }),
        ),
        (now) => (importing = now),
      );
    },
    (ended) => visited(ended.book),
  );
  const fillDemo = useChange(
    () => finished(answerOf(api.POST('/api/demo')), (now) => (filling = now)),
    () => onclose(),
  );
  const problem = $derived(begin.problem ?? importBook.problem ?? fillDemo.problem);
  const pending = $derived(begin.pending || importBook.pending || fillDemo.pending);

  async function visited(book: number | null): Promise<void> {
    // the frame must know the book before it is led there
    await client.invalidateQueries({ queryKey: ['books'] });
    onclose();
    if (book !== null) address.visit(book, 'import');
  }
</script>

<div class="mx-auto mt-4 w-full max-w-2xl">
  <h1 class="text-3xl">{isFirst ? 'Begin with a book.' : 'New book'}</h1>
  <p class="quiet mt-2 mb-6 max-w-prose">
    A book holds the orders of one business in one currency, from as many shops and desks as it has. Import
    the order exports, and the book answers who came back, when, and for how much.
  </p>
  {#if problem}<ProblemNote {problem} />{/if}
  <form
    class="mt-4 grid items-end gap-4 sm:grid-cols-[1fr_7rem_14rem]"
    onsubmit={(event) => {
      event.preventDefault();
      void begin.run(undefined);
    }}
  >
    <label class="grid gap-1">Name<input class="input" bind:value={name} required maxlength="120" /></label>
    <label class="grid gap-1">
      Currency<input
        class="input"
        bind:value={currency}
        required
        pattern={'[A-Z]{3}'}
        title="Three capitals, such as EUR"
      />
    </label>
    <label class="grid gap-1">Time zone<input class="input" bind:value={timeZone} required /></label>
    <div class="flex gap-3 sm:col-span-3">
      <button class="btn btn-primary" disabled={pending}>Create book</button>
      {#if !isFirst}<button type="button" class="btn btn-ghost" onclick={onclose}>Cancel</button>{/if}
    </div>
  </form>
  <hr class="my-6 border-base-300" />
  <h2 class="text-xl">Or import a book</h2>
  <p class="quiet my-2 max-w-prose">
    An exported book is imported with all of its deliveries, under its own name or the one above.
  </p>
  {#if importBook.pending && importing}
    <JobProgress job={importing} onstop={() => importing && void stopped(importing)} />
  {:else}
    <input
      type="file"
      class="file-input"
      accept=".zip,application/zip"
      aria-label="An exported book"
      disabled={pending}
      onchange={(event) => {
        const file = event.currentTarget.files?.[0];
        event.currentTarget.value = '';
        if (file) void importBook.run(file);
      }}
    />
  {/if}
  <hr class="my-6 border-base-300" />
  <h2 class="text-xl">Or look around first</h2>
  <p class="quiet my-2 max-w-prose">
    Marlpit & Slip, an invented supplier of potters' clay, comes with four years of orders to explore.
  </p>
  {#if fillDemo.pending && filling}
    <JobProgress job={filling} />
  {:else}
    <button class="btn btn-outline" disabled={pending} onclick={() => fillDemo.run(undefined)}
      >Fill the demo book</button
    >
  {/if}
</div>
