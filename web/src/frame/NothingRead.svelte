<script lang="ts">
  import { address } from '$lib/address.svelte';
</script>

<!-- nobody and nothing meets what the reading line asks for -->
<div class="mt-6 max-w-prose">
  <p class="text-lg">No order is read.</p>
  <p class="quiet my-2">
    {#if address.query.get('where') || address.query.get('list')}
      Nothing meets the filter, the list and the other words of the reading line together.
    {:else}
      The reading line leaves every order out: by its sources, its statuses or its date.
    {/if}
  </p>
  <button
    class="btn btn-sm"
    onclick={() =>
      address.change({
        where: null,
        firsts: null,
        list: null,
        list_as: null,
        status: null,
        source: null,
        as_of: null,
      })}>Read every order again</button
  >
</div>
