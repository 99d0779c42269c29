<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { trimmed } from '$lib/format/cells';
  import { count, counted, decimal, money } from '$lib/format/figures';

  type Threads = Pick<Schemas['ListShape'], 'tally' | 'rest_tally' | 'currency'>;
  let { answer }: { answer: Threads } = $props();
  const sides = $derived(
    answer.rest_tally
      ? [
          { title: 'On the list', tally: answer.tally },
          { title: 'Everybody else', tally: answer.rest_tally },
        ]
      : [{ title: '', tally: answer.tally }],
  );

  function words(tally: Schemas['TallyShape']): string {
    const each = tally.with_orders ? decimal(tally.orders / tally.with_orders) : '—';
    const since =
      tally.median_days_since === null
        ? ''
        : `, half of them in the last ${trimmed(tally.median_days_since)} days`;
    return (
      `${counted(tally.customers, 'customer')}, of whom ${count(tally.with_orders)} ordered${since}; ` +
      `${counted(tally.orders, 'order')} (${each} each), ${money(tally.revenue, true)} ${answer.currency}.`
    );
  }
</script>

<span aria-live="polite">
  {#each sides as side, at (side.title)}
    <span class={at > 0 ? 'block' : ''}>
      {#if side.title}<strong class="font-semibold text-base-content">{side.title}:</strong>{/if}
      {words(side.tally)}
    </span>
  {/each}
</span>
