<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, counted, percent } from '$lib/format/figures';

  let { answer }: { answer: Schemas['TopCustomersShape'] } = $props();
  const half = $derived(answer.tops.find((each) => each.top === 'half')?.customers ?? 0);
</script>

{#if half > 0}
  <p>
    <span class="font-serif text-4xl leading-tight font-semibold">{count(half)}</span>
    <span class="quiet font-semibold">customers brought half of the revenue</span>
  </p>
  <p class="text-sm">
    That is {percent(half / Math.max(1, answer.ordered), 1)} % of the {counted(answer.ordered, 'customer')} who
    ordered.
  </p>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  The band is all revenue, from the largest customer on; click a part to see who they are. A row opens the
  customer’s page.
</p>
