<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import { follow } from '$lib/jobs';
  import JobProgress from './JobProgress.svelte';
  import ProblemNote from './ProblemNote.svelte';

  let { isFirst, onclose }: { isFirst: boolean; onclose: () => void } = $props();
  const client = useQueryClient();
  let name = $state('');
  let currency = $state('EUR');
  let timeZone = $state(Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC');
  let problem = $state.raw<Problem>();
  let returning = $state.raw<Schemas['JobShape']>();
  let job = $state.raw<Schemas['JobShape']>();

  async function begin(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    try {
      const book = await told(api.POST('/api/books', { body: { name, currency, time_zone: timeZone } }));
      await client.invalidateQueries();
      onclose();
      address.visit(book.id, 'intake');
    } catch (error) {
      problem = problemOf(error);
    }
  }

  async function bringBack(files: FileList | null): Promise<void> {
    const chosen = files?.[0];
    if (!chosen) return;
    const form = new FormData();
    form.append('file', chosen);
    form.append('name', name);
    try {
      returning = await told(
        api.POST('/api/books/package', {
          body: form as unknown as { file: string; name: string },
          bodySerializer: (body) => body as unknown as FormData,
        }),
      );
      const ended = await follow(returning.id, (next) => (returning = next));
      problem = ended.error ?? undefined;
      if (ended.book === null) return;
      await client.invalidateQueries();
      onclose();
      address.visit(ended.book, 'intake');
    } catch (error) {
      problem = problemOf(error);
    }
  }

  async function stopReturning(): Promise<void> {
    if (returning) await api.DELETE('/api/jobs/{job}', { params: { path: { job: returning.id } } });
  }

  async function fillDemo(): Promise<void> {
    try {
      job = await told(api.POST('/api/demo'));
      await follow(job.id, (next) => (job = next));
      problem = job.error ?? undefined;
      await client.invalidateQueries();
      onclose();
    } catch (error) {
      problem = problemOf(error);
    }
  }
</script>

<main class="mx-auto mt-4 w-full max-w-2xl">
  <h1 class="text-3xl">{isFirst ? 'Begin with a book.' : 'Begin another book.'}</h1>
  <p class="quiet mt-2 mb-6 max-w-prose">
    A book holds the orders of one business in one currency, from as many shops and desks as it has. Bring the
    order exports in, and the book answers who came back, when, and for how much.
  </p>
  {#if problem}<ProblemNote {problem} />{/if}
  <form class="mt-4 grid grid-cols-[1fr_7rem_14rem] items-end gap-4" onsubmit={begin}>
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
    <div class="col-span-3 flex gap-3">
      <button class="btn btn-primary">Begin this book</button>
      {#if !isFirst}<button type="button" class="btn btn-ghost" onclick={onclose}>Not now</button>{/if}
    </div>
  </form>
  <hr class="my-6 border-base-300" />
  <h2 class="text-xl">Or bring a book back</h2>
  <p class="quiet my-2 max-w-prose">
    A book that was taken out as a file comes back with all of its deliveries, under its own name or the one
    above.
  </p>
  {#if returning?.state === 'running'}
    <JobProgress job={returning} onstop={stopReturning} />
  {:else}
    <input
      type="file"
      class="file-input"
      accept=".zip,application/zip"
      aria-label="A book that was taken out"
      onchange={(event) => bringBack(event.currentTarget.files)}
    />
  {/if}
  <hr class="my-6 border-base-300" />
  <h2 class="text-xl">Or look around first</h2>
  <p class="quiet my-2 max-w-prose">
    Marlpit & Slip, an invented supplier of potters' clay, comes with four years of orders to explore.
  </p>
  {#if job && job.state === 'running'}
    <JobProgress {job} />
  {:else}
    <button class="btn btn-outline" onclick={fillDemo}>Fill the demo book</button>
  {/if}
</main>
