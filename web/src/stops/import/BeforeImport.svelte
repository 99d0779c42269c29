<script lang="ts">
  import { counted } from '$lib/format/figures';
  import JobProgress from '$src/notes/JobProgress.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import Problems from './Problems.svelte';
  import ImportPreview from './ImportPreview.svelte';
  import type { Intake } from './importing.svelte';
  import { KIND_WORDS } from './meanings';
  import type { WaitingFile } from './waitingFile.svelte';

  let { intake, waiting, currency }: { intake: Intake; waiting: WaitingFile; currency: string } = $props();
  const file = $derived(waiting.file);
  const rejectedAt = $derived(`/api/books/${intake.book}/uploads/${file.upload}/rejected`);
  const nothing = $derived(waiting.tried?.counts.rows_in === 0);
</script>

<section class="mb-4 border-b border-base-300 pb-4" aria-label="If it is imported now">
  <h2 class="text-xl">If it is imported now</h2>
  {#if waiting.problem}<ProblemNote problem={waiting.problem} />{/if}
  {#if intake.importing?.job}
    <JobProgress job={intake.importing.job} onstop={() => intake.importing?.stop()} />
  {:else if waiting.trial}
    <JobProgress job={waiting.trial} onstop={() => waiting.stopTrial()} />
  {:else}
    {#if waiting.looking}
      <p class="quiet my-2">Looking at the file…</p>
    {:else if waiting.tried}
      <ImportPreview report={waiting.tried} kind={file.kind} {currency} />
      {#if waiting.tried.held_back}
        <p class="my-2 font-semibold text-error" role="status">
          {waiting.tried.held_back_words} Nothing is imported in part without your yes. {waiting.tried.fewer}
        </p>
      {/if}
      {#if waiting.tried.problem_groups.length > 0}
        <div class="mt-2">
          <Problems groups={waiting.tried.problem_groups} {rejectedAt} />
        </div>
      {/if}
    {:else if waiting.open.length > 0}
      <ul class="my-2 grid gap-1.5">
        {#each waiting.open as question, at (at)}<li class="font-semibold text-error">{question}</li>{/each}
      </ul>
    {:else if waiting.triedAtOnce}
      <p class="quiet my-2">Checking {counted(file.row_estimate, 'row')}…</p>
    {:else}
      <p class="my-2">
        About {counted(file.row_estimate, 'row')} will be checked, one by one. Rejected rows are listed with their
        reason; the others are imported together or not at all.
      </p>
    {/if}
    <div class="mt-3 flex flex-wrap gap-2">
      {#if waiting.tried?.held_back}
        <button
          class="btn btn-sm"
          disabled={!waiting.ready || nothing || intake.busy}
          onclick={() => intake.deliver(true)}
          >Import only the other {counted(waiting.tried.counts.rows_in, 'row')}</button
        >
      {:else}
        <button
          class="btn btn-primary btn-sm"
          disabled={!waiting.ready || nothing || intake.busy}
          onclick={() => intake.deliver()}>Import it</button
        >
      {/if}
      {#if !waiting.triedAtOnce}
        <button class="btn btn-sm" disabled={!waiting.ready || intake.busy} onclick={() => waiting.tryIt()}
          >Try it first</button
        >
      {/if}
      <button class="btn btn-sm" disabled={intake.busy} onclick={() => intake.forget()}>Discard file</button>
    </div>
    {#each intake.otherSheets(waiting) as { name, kind } (name)}
      <p class="mt-2 text-sm">
        Sheet <b class="font-semibold">{name}</b> has {KIND_WORDS[kind]}.
        <button class="word" onclick={() => void intake.also(waiting, name)}>also import {name}</button>
      </p>
    {/each}
    {#if intake.queue.length > 1}
      <p class="quiet mt-2 text-sm">
        Waiting after it: {intake.queue
          .slice(1)
          .map((each) =>
            each.file.sheets.length > 1 ? `${each.file.file_name}, ${each.file.sheet}` : each.file.file_name,
          )
          .join(', ')}.
      </p>
    {/if}
  {/if}
</section>
