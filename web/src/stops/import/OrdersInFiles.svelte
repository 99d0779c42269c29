<script lang="ts">
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { moment } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import { finished, stopped, type Job } from '$lib/jobs';
  import JobProgress from '$src/notes/JobProgress.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import Report from './Report.svelte';

  let { book, place }: { book: number; place: Schemas['InFilesShape'] } = $props();
  let job = $state.raw<Job>();
  const report = $derived(job?.report);
  const refresh = useChange((body: { as_before: boolean; accept_rejected: boolean }) =>
    finished(answerOf(api.POST('/api/books/{book}/refresh', { params: { path: { book } }, body })), (now) => {
      job = now;
    }),
  );
  const begin = (as_before = false, accept_rejected = false) =>
    void refresh.run({ as_before, accept_rejected });
</script>

<section
  aria-label="Orders in files"
  class="card card-border shrink-0 block bg-base-100 p-4"
  data-testid="in-files"
>
  <p>
    The orders of this book stay in files: <b class="break-all">{place.address}</b>.
    {#if place.refreshed_at}
      It has <b>{counted(place.files, 'file')}</b> since {moment(place.refreshed_at)}.
    {:else}
      None has been read yet.
    {/if}
  </p>
  <p class="quiet mt-1 text-sm">
    A refresh reads files that are new or changed; orders of files that are gone leave the book.
  </p>
  {#if refresh.problem}<ProblemNote problem={refresh.problem} />{/if}
  {#if refresh.pending && job}
    <JobProgress {job} onstop={() => job && void stopped(job)} />
  {:else}
    <p class="mt-3 flex items-baseline gap-5">
      <button class="btn btn-primary" onclick={() => begin()}>Refresh</button>
      {#if place.files_before !== null}
        <button class="word text-sm" onclick={() => begin(true)}
          >go back to the {counted(place.files_before, 'file')} of before</button
        >
      {/if}
    </p>
  {/if}
  {#if report?.held_back}
    <p class="mt-3 text-error" role="alert">
      {report.held_back_words}
      <button class="word" onclick={() => begin(false, true)}>refresh all the same</button>
    </p>
  {:else if report && !refresh.pending && report.earlier_delivered_at}
    <p class="mt-3" role="status">Nothing has changed in the files.</p>
  {/if}
</section>
{#if report && !refresh.pending && !report.held_back && !report.earlier_delivered_at}<Report {report} />{/if}
