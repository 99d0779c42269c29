<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { moment, span } from '$lib/format/dates';
  import { count, counted, money, nounFor, signed } from '$lib/format/figures';
  import { HAS, RECORD_WORDS, type FileKind } from './meanings';

  let { report, kind, currency }: { report: Schemas['ReportShape']; kind: FileKind; currency: string } =
    $props();
  let changesShown = $state(false);
  const counts = $derived(report.counts);
  const noun = $derived(RECORD_WORDS[kind]);
  const amounts = $derived(HAS[kind].amount);
</script>

{#if report.earlier_delivered_at}
  <p class="my-2 font-semibold">
    The same file was imported on {moment(report.earlier_delivered_at)}. It changes nothing.
  </p>
{:else}
  {#if report.first_date && report.last_date && counts.rows_in > 0}
    <p class="quiet text-sm">
      {counted(counts.rows_read, 'row')}, {span(report.first_date, report.last_date)}
    </p>
  {/if}
  <dl class="my-1 grid grid-cols-[auto_1fr]" data-testid="comes">
    <dt>{count(counts.added)}</dt>
    <dd>
      new {nounFor(counts.added, noun)}{#if amounts && counts.added > 0}<span class="quiet"
          >, {signed(report.amount_added)} {currency}</span
        >{/if}
    </dd>
    {#if counts.changed > 0}
      <dt class="look">{count(counts.changed)}</dt>
      <dd>
        known, now different{#if amounts}<span class="quiet"
            >, {signed(report.amount_changed)} {currency}</span
          >{/if}
        {#if report.changes.length > 0}
          <button class="word text-sm" onclick={() => (changesShown = !changesShown)}
            >{changesShown ? 'hide them' : 'see them'}</button
          >
        {/if}
        {#if changesShown}
          <ul class="mt-1 grid gap-1 text-sm">
            {#each report.changes as change (change.number)}
              <li>
                <span class="font-semibold">{change.number}</span>
                <span class="quiet">{change.was || 'nothing'}</span> → {change.becomes || 'nothing'}
              </li>
            {/each}
          </ul>
        {/if}
      </dd>
    {/if}
    {#if counts.same > 0}
      <dt>{count(counts.same)}</dt>
      <dd>in the book already, the same<span class="quiet">, no change</span></dd>
    {/if}
    {#if counts.rows_repeated > 0}
      <dt>{count(counts.rows_repeated)}</dt>
      <dd>{counts.rows_repeated === 1 ? 'row repeats' : 'rows repeat'} another one, counted once</dd>
    {/if}
    {#if HAS[kind].key}
      <dt>{count(counts.customers_added)}</dt>
      <dd>
        new {counts.customers_added === 1 ? 'customer' : 'customers'}<span class="quiet"
          >, {count(report.customers_known)} known</span
        >
      </dd>
    {/if}
    {#if report.firsts_moved > 0}
      <dt>{count(report.firsts_moved)}</dt>
      <dd>{report.firsts_moved === 1 ? "customer's" : "customers'"} first order moves to an earlier date</dd>
    {/if}
    {#if report.negative > 0}
      <dt>{count(report.negative)}</dt>
      <dd>
        below 0, {money(report.amount_negative)}
        {currency}<span class="quiet">: kept, and taken off the revenue</span>
      </dd>
    {/if}
    {#if report.zero > 0}
      <dt>{count(report.zero)}</dt>
      <dd>of 0<span class="quiet">: kept, and counted as orders</span></dd>
    {/if}
    {#if counts.rows_rejected > 0}
      <dt class="text-error">{count(counts.rows_rejected)}</dt>
      <dd>{counts.rows_rejected === 1 ? 'row' : 'rows'} will be rejected</dd>
    {/if}
  </dl>
{/if}

<style>
  dt {
    min-width: 3.5rem;
    text-align: right;
    font-weight: 600;
    padding: 0.28rem 0.6rem 0.28rem 0;
  }
  dd {
    padding-block: 0.28rem;
  }
  dt,
  dd {
    border-bottom: 1px solid var(--color-base-300);
  }
  .look {
    color: var(--gold);
  }
</style>
