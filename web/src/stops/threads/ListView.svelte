<script lang="ts">
  import { said } from '$lib/format/reader';
  import type { Rows } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { customerAsked, openCustomer } from './opening';
  import ThreadTable from './ThreadTable.svelte';

  interface Props {
    name: string;
    answer: Schemas['ListShape'];
    rows: Rows<Schemas['ListedRowShape']>;
  }
  let { name, answer, rows }: Props = $props();
  const customer = $derived(customerAsked());
</script>

{#if name !== 'customers'}<p class="quiet pb-1 text-sm">{said(answer.words)}</p>{/if}
<ThreadTable {name} {answer} {rows} narrow={customer !== null} opened={customer} onopen={openCustomer} />
