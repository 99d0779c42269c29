<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import { seen } from '$lib/seen.svelte';

  /** What somebody sees of a book who works lists and nothing else. */
  let { book }: { book: Schemas['BookShape'] } = $props();
  const lists = createQuery(() => ({
    queryKey: ['lists', book.id, seen.lists],
    queryFn: () => answerOf(api.GET('/api/books/{book}/lists', { params: { path: { book: book.id } } })),
  }));
  const query = (name: string) => new URLSearchParams({ list: name, view: 'worked' });
</script>

<h1 class="mt-4 text-2xl">Your lists</h1>
{#if lists.error}<FailedNote problem={problemOf(lists.error)} onagain={() => void lists.refetch()} />{/if}
<ul class="mt-2 grid max-w-2xl gap-2">
  {#each lists.data?.lists ?? [] as list (list.id)}
    <li class="border-t border-base-300 pt-2">
      <a
        class="word font-semibold"
        href={addressOf(book.id, 'followup', query(list.name))}
        onclick={(event) => followed(event, () => address.visit(book.id, 'followup', query(list.name)))}
        >{list.name}</a
      >
      <span class="quiet">as of {date(list.as_of)}{list.made_by ? `, kept by ${list.made_by}` : ''}</span>
    </li>
  {:else}
    {#if lists.data}
      <li class="quiet">No list was given to you yet. An analyst of this book gives you one.</li>
    {/if}
  {/each}
</ul>
