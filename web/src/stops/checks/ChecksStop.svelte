<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { count, counted } from '$lib/format/figures';
  import { finished, stopped } from '$lib/jobs';
  import BackupNote from '$src/notes/BackupNote.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import JobProgress from '$src/notes/JobProgress.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import Sentence from '$src/sentence/Sentence.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  let job = $state.raw<Schemas['JobShape']>();
  let asked = $state('');
  const query = $derived(address.choices([]));
  const key = $derived(JSON.stringify([query, book.revision]));

  const reading = createQuery(() => ({
    queryKey: ['reading', book.id, query],
    queryFn: () =>
      answerOf(api.GET('/api/books/{book}/reading', { params: { path: { book: book.id }, query } })),
  }));
  const checks = $derived(job?.checks ?? []);
  const failed = $derived(checks.filter((check) => !check.holds));
  const byNumber = $derived(
    [...new Set(checks.map((each) => each.number))].map((number) => {
      const own = checks.filter((each) => each.number === number);
      return { number, title: own[0]?.identity ?? '', own, bad: own.filter((each) => !each.holds) };
    }),
  );

  const run = useChange(
    () =>
      finished(
        answerOf(api.POST('/api/books/{book}/checks', { params: { path: { book: book.id }, query } })),
        (now) => (job = now),
      ),
    (ended) => (job = ended),
  );

  function check(): void {
    asked = key;
    void run.run(undefined);
  }
</script>

{#if reading.data}
  <p class="min-h-9 border-b border-base-300 py-1.5" data-testid="reading">
    <Sentence
      parts={reading.data.reading}
      controls={reading.data.controls}
      onchoose={(name, values) => address.choose(name, values)}
    />
  </p>
{/if}
{#if reading.error}
  <FailedNote problem={problemOf(reading.error)} onagain={() => void reading.refetch()} />
{/if}
<div class="min-h-0 flex-1 pt-2 desk:overflow-y-auto">
  <div class="flex flex-wrap items-start justify-between gap-x-8 gap-y-2">
    <div class="max-w-prose">
      <h1 class="text-[1.45rem] leading-10 font-normal">Does everything add up?</h1>
      <p class="quiet">
        Every identity that must hold is held over every table of this reading, by week, month, quarter and
        year; then MariaDB counts the whole tables again from its own records, by its own road.
      </p>
      <BackupNote />
    </div>
    {#if !run.pending}
      <button class="btn btn-primary btn-sm" onclick={check}
        >{checks.length ? 'Run the checks again' : 'Run the checks'}</button
      >
    {/if}
  </div>
  {#if run.problem}<div class="mt-3"><ProblemNote problem={run.problem} /></div>{/if}
  {#if run.pending && job}
    {@const running = job}
    <div class="max-w-xl"><JobProgress job={running} onstop={() => void stopped(running)} /></div>
  {/if}
  {#if checks.length}
    <p class="mt-3 text-lg" role="status" data-testid="verdict">
      {#if failed.length === 0}
        <strong class="text-success">All {counted(checks.length, 'check')} hold.</strong>
      {:else}
        <strong class="text-error">{counted(failed.length, 'check')} of {checks.length} fail.</strong>
      {/if}
      {#if asked !== key}<span class="quiet">This was before the book or the reading changed.</span>{/if}
      {#if !checks.some((check) => check.number === 8)}
        <span class="quiet">The database knows neither filters nor customer lists, so it was not asked.</span>
      {/if}
    </p>
    <ol class="mt-2 grid gap-x-8 md:grid-cols-2">
      {#each byNumber as { number, title, own, bad } (number)}
        <li class="border-t border-base-300 py-2">
          <p class="flex items-baseline gap-3">
            <span class="w-5 text-right font-serif text-lg font-semibold">{number}</span>
            <span class="flex-1 font-semibold">{title}</span>
            <span
              class="font-semibold"
              class:text-success={bad.length === 0}
              class:text-error={bad.length > 0}
              >{bad.length === 0 ? 'holds' : `${bad.length} of ${own.length} fail`}</span
            >
          </p>
          <details class="ml-8 text-sm" open={bad.length > 0}>
            <summary class="quiet cursor-pointer">{counted(own.length, 'check')}</summary>
            <table class="table table-xs mt-1 w-full">
              <thead class="sr-only"
                ><tr><th>Claim</th><th>Where</th><th>Found</th><th>Must be</th></tr></thead
              >
              <tbody>
                {#each own as check, at (at)}
                  <tr class:font-semibold={!check.holds} class:text-error={!check.holds}>
                    <td class="pr-3">{check.claim}</td>
                    <td class="quiet pr-3">{check.where}</td>
                    <td class="text-right whitespace-nowrap">{count(check.found)}</td>
                    <td class="pl-3 text-right whitespace-nowrap"
                      >{check.holds ? '' : `must be ${count(check.expected)}`}</td
                    >
                  </tr>
                {/each}
              </tbody>
            </table>
          </details>
        </li>
      {/each}
    </ol>
  {:else if !run.pending}
    <p class="quiet mt-6">
      Nothing was run yet in this window. It takes about a second for a small book, and longer for one of
      millions of orders: it can be stopped at any time and changes nothing. The same on the command line:
      <code>goldthread check --book "{book.name}"</code>.
    </p>
  {/if}
</div>
