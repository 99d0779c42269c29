<script lang="ts">
  import { address, addressOf, followed } from '$lib/address.svelte';
  import type { Stop } from './stop';

  let { book, stop, look = '' }: { book: number; stop: Stop; look?: string } = $props();
  const isHere = $derived(address.stop === stop.name);
</script>

<a
  class={[look, isHere && 'here']}
  href={addressOf(book, stop.name, address.reading)}
  aria-current={isHere ? 'page' : undefined}
  onclick={(event) => followed(event, () => address.visit(book, stop.name))}
  >{#if !stop.apart}<span class="knot" aria-hidden="true"></span>{/if}{stop.title}</a
>

<style>
  .knot {
    display: block;
    width: 16px;
    height: 16px;
    margin: 4px 0 2px;
    border-radius: 50%;
    border: 2px solid var(--gold);
    background: var(--color-base-200);
  }
  .here .knot {
    width: 22px;
    height: 22px;
    margin: 1px 0 -1px;
    background: var(--gold);
  }
  .here {
    color: var(--color-base-content);
    font-weight: 600;
  }
  .here:not(:has(.knot)) {
    border-bottom: 3px solid var(--gold);
  }
</style>
