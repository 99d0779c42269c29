<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { openSession } from '$lib/api/client';
  import JobProgress from '$src/notes/JobProgress.svelte';
  import AskDatabase from './AskDatabase.svelte';
  import type { Intake } from './importing.svelte';

  let { intake }: { intake: Intake } = $props();
  let over = $state(false);
  const session = createQuery(() => ({ queryKey: ['session'], queryFn: openSession }));

  function take(files: FileList | null | undefined): void {
    if (files?.length) void intake.send([...files], session.data?.upload_limit_mib ?? Infinity);
  }

  function dropped(event: DragEvent): void {
    event.preventDefault();
    over = false;
    take(event.dataTransfer?.files);
  }

  function pasted(event: ClipboardEvent & { currentTarget: HTMLTextAreaElement }): void {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    if (!text.includes('\n')) return;
    event.preventDefault();
    const limit = session.data?.upload_limit_mib ?? Infinity;
    void intake.send([new File([text], 'pasted rows', { type: 'text/plain' })], limit);
  }
</script>

{#if intake.importing?.job}
  <JobProgress job={intake.importing.job} onstop={() => intake.importing?.stop()} />
{/if}
{#if intake.arriving}
  <JobProgress job={intake.arriving} onstop={() => intake.stopArriving()} />
{/if}
<div class="grid shrink-0 gap-4 desk:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
  <label
    class="grid cursor-pointer place-items-center gap-2 rounded-box border-2 border-dashed bg-base-100 px-6 py-7 text-center"
    class:border-accent={over}
    class:border-base-300={!over}
    ondragover={(event) => {
      event.preventDefault();
      over = true;
    }}
    ondragleave={() => (over = false)}
    ondrop={dropped}
  >
    <span class="text-lg"
      >{intake.sending ? `Looking at ${intake.sending}…` : 'Drop files here, or choose them'}</span
    >
    <input
      type="file"
      class="file-input w-full max-w-80"
      multiple
      disabled={intake.sending !== ''}
      onchange={(event) => {
        take(event.currentTarget.files);
        event.currentTarget.value = '';
      }}
    />
    <span class="quiet text-sm"
      >CSV and other delimited text, XLSX, ODS, JSON, Parquet, and gzip or zip of them; dates and amounts as
      your country writes them.{#if session.data}&nbsp; Up to {session.data.upload_limit_mib} MiB each.{/if}</span
    >
  </label>
  <label class="grid grid-rows-[auto_1fr] gap-1">
    <span class="quiet text-sm">or paste rows from a spreadsheet, their header with them</span>
    <textarea
      class="textarea h-full min-h-24 w-full resize-none text-sm"
      placeholder="Ctrl + V"
      aria-label="Paste rows"
      onpaste={pasted}
      disabled={intake.sending !== ''}
      value=""></textarea>
  </label>
</div>
{#if session.data && session.data.databases.length > 0}
  <AskDatabase {intake} databases={session.data.databases} />
{/if}
<p class="quiet shrink-0 text-sm">
  Files and rows can
  <a
    class="word"
    href={addressOf(intake.book, 'schedules')}
    onclick={(event) => followed(event, () => address.visit(intake.book, 'schedules'))}
    >come by themselves, on a schedule</a
  >.
</p>
