<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';

  let { answer }: { answer: Schemas['CompareShape'] } = $props();
</script>

<h2 class="text-lg">How to read it</h2>
<p class="quiet text-sm">
  What a customer of each group had brought up to the same age, {answer.figure === 'profit'
    ? 'before CAC'
    : 'before the cost of goods and before CAC'}. Only customers whose cohort is old enough count at an age.
  The intervals are a bootstrap over customers: who they are was left to chance, so another year’s would
  differ as much.
  {#if answer.both > 0}{counted(answer.both, 'customer')}
    {answer.both === 1 ? 'is' : 'are'} in both, so the interval is wider than it need be.{/if}
</p>
