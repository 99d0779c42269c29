<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, counted, money } from '$lib/format/figures';

  interface Props {
    recounted: Schemas['RecountedShape'] | undefined;
    unanswered: boolean;
    currency: string;
  }
  let { recounted, unanswered, currency }: Props = $props();

  const words = (tally: Schemas['TalliedShape']) =>
    `${counted(tally.customers, 'customer')}, ${count(tally.orders)} orders, ${money(tally.revenue)} ${currency}`;
</script>

<p class="mt-1 text-sm" aria-live="polite" data-testid="recount">
  {#if unanswered}
    <span class="quiet">The database gave no recount this time.</span>
  {:else if !recounted}
    <span class="quiet">The database is counting it again…</span>
  {:else if recounted.agrees}
    <span class="font-semibold text-success">The database’s own recount agrees.</span>
  {:else if recounted.database}
    <strong class="text-error">Two counts differ.</strong>
    Here: {words(recounted.page)}. The database: {words(recounted.database)}.
  {:else}
    <span class="quiet">{recounted.reason}</span>
  {/if}
</p>
