<script lang="ts">
  import { address, addressOf, type Stop } from '$lib/address.svelte';

  let { book, stop }: { book: number; stop: Stop } = $props();

  function follow(event: MouseEvent): void {
    if (event.metaKey || event.ctrlKey || event.shiftKey) return;
    event.preventDefault();
    address.visit(book, 'checks');
  }
</script>

<a
  class="btn btn-ghost btn-sm text-sm font-normal"
  class:here={stop === 'checks'}
  aria-current={stop === 'checks' ? 'page' : undefined}
  href={addressOf(book, 'checks', address.reading)}
  onclick={follow}>Checks</a
>

<style>
  .here {
    border-bottom: 3px solid var(--gold);
    font-weight: 600;
  }
</style>
