<script lang="ts">
  import { said } from '$lib/format/reader';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';

  /** Words of the letter; a figure leads to its stop, read as everything is read here. */
  interface Props {
    book: number;
    words: Schemas['SaidShape'][];
  }
  let { book, words }: Props = $props();

  function queryOf(each: Schemas['SaidShape']): URLSearchParams {
    const query = address.reading;
    for (const [name, value] of Object.entries(each.query)) query.set(name, value);
    return query;
  }
</script>

{#each words as each, place (place)}{#if each.stop}{@const stop = each.stop}<a
      class="figure"
      href={addressOf(book, stop, queryOf(each))}
      onclick={(event) => followed(event, () => address.visit(book, stop, queryOf(each)))}
      >{said(each.text)}</a
    >{:else}{said(each.text)}{/if}{/each}

<style>
  .figure {
    font-weight: 600;
    border-bottom: 2px dotted var(--gold);
  }
  .figure:hover {
    border-bottom-style: solid;
  }
</style>
