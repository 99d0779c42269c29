<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import Problems from './Problems.svelte';
  import { address } from '$lib/address.svelte';

  let { report }: { report: Schemas['ReportShape'] } = $props();
  const counts = $derived(report.counts);
  const rejectedAt = $derived(`/api/books/${address.book}/deliveries/${report.delivery_id}/rejected`);
</script>

<section
  aria-label="What became of the file"
  class="card card-border shrink-0 block bg-base-100 p-4"
  data-testid="report"
>
  {#if report.earlier_delivered_at}
    <p class="font-semibold">
      The same file was imported on {moment(report.earlier_delivered_at)}. Nothing was changed.
    </p>
  {:else}
    <p class="text-lg">
      {#if counts.rows_in === 0}Every row is rejected; nothing was changed.{:else}
        <b>{counted(counts.rows_read, 'row')}</b> read: <b>{count(counts.rows_in)}</b>
        imported, {count(counts.rows_repeated)} repeated another row,
        <b class:text-error={counts.rows_rejected > 0}>{count(counts.rows_rejected)}</b> were rejected.
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
  {#if report.problem_groups.length > 0 && report.delivery_id !== null}
    <div class="mt-3 max-h-44 overflow-y-auto">
      <Problems groups={report.problem_groups} {rejectedAt} />
    </div>
  {/if}
</section>
