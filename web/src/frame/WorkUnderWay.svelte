<script lang="ts">
  import { untrack } from 'svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { percentOf } from '$lib/jobs';
  import { askAnew, seen } from '$lib/seen.svelte';
  import { work } from '$lib/work.svelte';

  /** What goes on in a book while somebody looks at another stop of it. */
  let { book }: { book: number } = $props();
  const client = useQueryClient();
  const shown = $derived(work.all.filter((each) => each.book === book && address.stop !== 'import'));

  $effect(() => {
    // whatever ends has looked how the book stands
    void work.all;
    if (untrack(() => seen.isNews())) void askAnew(client);
  });
</script>

{#each shown as each (each.id)}
  <p class="flex items-center gap-3 py-1 text-sm not-printed">
    <progress
      class="progress progress-accent w-32"
      value={each.job && each.job.total > 0 ? each.job.done : undefined}
      max={Math.max(1, each.job?.total ?? 1)}
      aria-label={each.words}
    ></progress>
    <span role="status">{each.words}</span>, {percentOf(each.job)} %
    <button class="word" onclick={() => each.stop()}>stop, and change nothing</button>
    <button class="word" onclick={() => address.visit(book, 'import')}>go there</button>
  </p>
{/each}
