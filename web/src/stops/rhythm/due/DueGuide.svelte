<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import { count, counted, nounFor } from '$lib/format/figures';

  let { answer }: { answer: Schemas['DueShape'] } = $props();

  function slowed(): void {
    const query = address.reading;
    const where = query.get('where');
    query.set('where', where ? `(${where}) AND slowed_down = 'yes'` : "slowed_down = 'yes'");
    if (address.book !== undefined) address.visit(address.book, 'threads', query);
  }
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold">{count(answer.coming)}</span>
  <span class="quiet font-semibold"
    >{nounFor(answer.coming, 'customer')} expected in the next {counted(answer.days.length, 'day')}</span
  >
</p>
<p class="text-sm">
  {counted(answer.late, 'customer')} late: expected before the as-of date, and not seen since.
</p>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Who slowed down</h2>
<p class="text-sm">
  {counted(answer.slowed_down, 'customer')}: the last two gaps both longer than three quarters of their
  earlier ones. The open gap counts where it is longer than the last one.
  {#if answer.slowed_down > 0}<button class="word" onclick={slowed}>see their threads</button>{/if}
</p>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  An expectation, not a promise: the latest order plus one usual gap. From four orders on the gap is the
  customer’s own median; before that everybody’s at that step, in brackets. Open a day to see whom it means,
  and keep them as a list.
</p>
