<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import ProblemRows from './ProblemRows.svelte';

  let { report }: { report: Schemas['ReportShape'] } = $props();
  const counts = $derived(report.counts);
</script>

<section
  aria-label="What became of the file"
  class="rounded-box border border-base-300 bg-base-100 p-4"
  data-testid="report"
>
  {#if report.earlier_delivered_at}
    <p class="font-semibold">
      The same file came in on {moment(report.earlier_delivered_at)}. Nothing was changed.
    </p>
  {:else}
    <p class="text-lg">
      {#if counts.rows_in === 0}No row can come in; nothing was changed.{:else}
        {#if report.dry_run}If it goes in now:{/if}
        <b>{counted(counts.rows_read, 'row')}</b> read: <b>{count(counts.rows_in)}</b>
        {report.dry_run ? 'come' : 'came'} in, {count(counts.rows_repeated)}
        {report.dry_run ? 'repeat' : 'repeated'} another row,
        <b class:text-error={counts.rows_rejected > 0}>{count(counts.rows_rejected)}</b>
        {report.dry_run ? 'are' : 'were'} rejected.
      {/if}
    </p>
    {#if counts.rows_in > 0}
      <p class="quiet">
        {count(counts.added)} new, {count(counts.changed)} changed, {count(counts.same)} the same as before; {counted(
          counts.customers_added,
          'customer',
        )} not known until now.
      </p>
    {/if}
  {/if}
  {#if report.problem_count > 0}
    <div class="mt-3"><ProblemRows problems={report.problems} total={report.problem_count} /></div>
  {/if}
</section>
