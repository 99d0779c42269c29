<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import JobProgress from '$src/frame/JobProgress.svelte';
  import Problems from './Problems.svelte';
  import WhatComes from './WhatComes.svelte';
  import type { Intake } from './intake.svelte';

  let { intake, file, currency }: { intake: Intake; file: Schemas['FileShape']; currency: string } = $props();
  const rejectedAt = $derived(`/api/books/${intake.book}/uploads/${file.upload}/rejected`);
  const nothing = $derived(intake.tried?.counts.rows_in === 0);
</script>

<section class="mb-4 border-b border-base-300 pb-4" aria-label="If it goes in now">
  <h2 class="text-xl">If it goes in now</h2>
  {#if intake.running && intake.job}
    <JobProgress job={intake.job} onstop={() => intake.stop()} />
  {:else}
    {#if intake.looking}
      <p class="quiet my-2">Looking at the file…</p>
    {:else if intake.tried}
      <WhatComes report={intake.tried} kind={file.kind} {currency} />
      {#if intake.tried.problem_groups.length > 0}
        <div class="mt-2">
          <Problems groups={intake.tried.problem_groups} {rejectedAt} fileName={file.file_name} />
        </div>
      {/if}
    {:else if intake.open.length > 0}
      <ul class="my-2 grid gap-1.5">
        {#each intake.open as question (question)}<li class="font-semibold text-error">{question}</li>{/each}
      </ul>
    {:else if intake.triedAtOnce}
      <p class="quiet my-2">Checking {counted(file.row_estimate, 'row')}…</p>
    {:else}
      <p class="my-2">
        About {counted(file.row_estimate, 'row')} will be checked, one by one. Rows that cannot come in are listed
        with their reason; the others come in together or not at all.
      </p>
    {/if}
    <div class="mt-3 flex gap-2">
      <button
        class="btn btn-primary btn-sm"
        disabled={!intake.ready || nothing}
        onclick={() => intake.deliver()}>Bring it in</button
      >
      {#if !intake.triedAtOnce}
        <button class="btn btn-sm" disabled={!intake.ready} onclick={() => intake.tryIt()}
          >Try it first</button
        >
      {/if}
      <button class="btn btn-sm" onclick={() => intake.forget()}>Not now</button>
    </div>
    {#if intake.queue.length > 1}
      <p class="quiet mt-2 text-sm">
        Waiting after it: {intake.queue
          .slice(1)
          .map((each) => each.file_name)
          .join(', ')}.
      </p>
    {/if}
  {/if}
</section>
