<script lang="ts">
  import { address } from '$lib/address.svelte';

  /** No order is read: the book holds none, or the reading line leaves every one out. */
  let { book, holdsOrders }: { book: number; holdsOrders: boolean } = $props();
  const EVERY = ['where', 'firsts', 'list', 'list_as', 'status', 'source', 'as_of'];
</script>

<div class="mt-6 max-w-prose">
  <p class="text-lg">{holdsOrders ? 'No orders match.' : 'This book holds no orders yet.'}</p>
  <p class="quiet my-2">
    {#if !holdsOrders}
      It knows customers. Import an order export, and this page fills by itself.
    {:else if address.query.get('where') || address.query.get('list')}
      Nothing meets the filter, the list and the other words of the reading line together.
    {:else}
      The reading line leaves every order out: by its sources, its statuses or its date.
    {/if}
  </p>
  {#if holdsOrders}
    <button
      class="btn btn-sm"
      onclick={() => address.change(Object.fromEntries(EVERY.map((name) => [name, null])))}
      >Reset filters</button
    >
  {:else}
    <button class="btn btn-primary btn-sm" onclick={() => address.visit(book, 'import')}>Import a file</button
    >
  {/if}
</div>
