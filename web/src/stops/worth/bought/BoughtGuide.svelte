<script lang="ts">
  import { said } from '$lib/format/reader';
  import { address } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';

  interface Props {
    book: Schemas['BookShape'];
    answer: Schemas['BoughtShape'];
  }
  let { book, answer }: Props = $props();
  const first = $derived(answer.rows.filter((row) => row.revenue_field).slice(0, 6));

  /** A field as a condition writes it. */
  const written = (field: string) => (/^[A-Za-z_][A-Za-z0-9_.:]*$/.test(field) ? field : `"${field}"`);

  /** The customers by what they spent on it: a question of Threads. */
  function list(field: string): void {
    address.visit(book.id, 'threads', new URLSearchParams({ view: 'customers', by: field }));
  }
</script>

<p>{said(answer.covered)}</p>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">As a field of every customer</h2>
<p class="text-sm">
  What each customer spent on it can be a column, a sequence or a filter everywhere:
  <code>{written(first[0]?.revenue_field ?? 'revenue:category:clay')} &gt; 200</code>.
</p>
<ul class="mt-1 text-sm">
  {#each first as row, at (at)}
    <li>
      <button class="word text-sm" onclick={() => list(row.revenue_field)}>customers by {row.label}</button>
    </li>
  {/each}
</ul>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  Revenue is that of the lines, so it adds up to all of them. Customers and orders do not: one order can hold
  lines of several.
</p>
