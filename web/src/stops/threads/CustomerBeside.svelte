<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import CustomerPage from '$src/customer/CustomerPage.svelte';
  import { closeCustomer, customerAsked } from './opening';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const customer = $derived(customerAsked());
</script>

{#if customer !== null}
  <CustomerPage
    {book}
    {customer}
    onclose={closeCustomer}
    onchoose={(name, values) => question.choose(name, values)}
  />
{/if}
