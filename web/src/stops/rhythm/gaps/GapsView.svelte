<script lang="ts">
  import type { Rows } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import GapRows from './GapRows.svelte';
  import GapStrips from './GapStrips.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: Schemas['GapsShape'];
    rows: Rows<Schemas['GapRowShape']>;
  }
  let { book, answer, rows }: Props = $props();
</script>

{#if answer.by === 'customer' || answer.by === 'order'}
  <p class="quiet pb-1 text-sm">
    {answer.by === 'customer'
      ? `${counted(answer.count, 'customer')} with a gap, the longest median first. A row opens the customer’s page.`
      : `${counted(answer.count, 'gap')}, the longest first. The ringed knots are its two orders.`}
  </p>
  <GapRows {book} {answer} {rows} />
{:else}
  <GapStrips {answer} />
{/if}
