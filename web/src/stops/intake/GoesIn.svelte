<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import JobProgress from './JobProgress.svelte';
  import type { Intake } from './intake.svelte';
  import { MEANING_WORDS } from './meanings';

  let { intake, file }: { intake: Intake; file: Schemas['FileShape'] } = $props();
  const ready = $derived(intake.missing.length === 0 && intake.open.length === 0 && intake.source !== '');
</script>

<section class="mb-5 border-b border-base-300 pb-5">
  <h2 class="text-xl">Before it goes in</h2>
  {#if intake.running && intake.job}
    <JobProgress job={intake.job} onstop={() => intake.stop()} />
  {:else}
    <ul class="my-3 grid gap-1.5">
      <li>About {counted(file.row_estimate, 'row')} will be checked, one by one.</li>
      {#if intake.source === ''}<li class="font-semibold text-error">
          Say which source the file is from.
        </li>{/if}
      {#if intake.missing.length > 0}
        <li class="font-semibold text-error">
          Say which column holds the {intake.missing.map((meaning) => MEANING_WORDS[meaning]).join(', the ')}.
        </li>
      {/if}
      {#each intake.open as question (question)}<li class="font-semibold text-error">{question}</li>{/each}
      <li class="quiet">
        Rows that cannot come in are listed with their reason; the others come in together or not at all.
      </li>
    </ul>
    <div class="flex gap-2">
      <button class="btn btn-primary btn-sm" disabled={!ready} onclick={() => intake.deliver()}
        >Bring it in</button
      >
      <button class="btn btn-sm" disabled={!ready} onclick={() => intake.deliver(true)}>Try it first</button>
      <button class="btn btn-sm" onclick={() => intake.forget()}>Not now</button>
    </div>
  {/if}
</section>
