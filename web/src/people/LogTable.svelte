<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import { searchOf } from '$lib/search';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import DateInput from '$src/menus/DateInput.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';

  /** Of a book; without one, what concerns no book. */
  let { book }: { book?: number } = $props();
  const id = $props.id();
  const PAGE = 100;
  let who = $state('');
  let deed = $state('');
  let since = $state('');
  let until = $state('');
  const chosen = $derived(
    Object.fromEntries(Object.entries({ who, deed, since, until }).filter(([, value]) => value !== '')),
  );

  function asked(offset: number): Promise<Schemas['LogShape']> {
    const query = { ...chosen, offset, limit: PAGE };
    return answerOf(
      book === undefined
        ? api.GET('/api/log', { params: { query } })
        : api.GET('/api/books/{book}/log', { params: { path: { book }, query } }),
    );
  }
  const pages = createInfiniteQuery(() => ({
    queryKey: ['log', book ?? 'none', chosen],
    queryFn: ({ pageParam }: { pageParam: number }) => asked(pageParam),
    initialPageParam: 0,
    getNextPageParam: (last: Schemas['LogShape'], all: Schemas['LogShape'][]) =>
      all.length * PAGE < last.total ? all.length * PAGE : undefined,
  }));
  const first = $derived(pages.data?.pages[0]);
  /** The same thing done again and again is told once, with how often. */
  const entries = $derived.by(() => {
    const told: { latest: Schemas['LogEntryShape']; times: number }[] = [];
    for (const each of pages.data?.pages.flatMap((page) => page.entries) ?? []) {
      const last = told.at(-1);
      const isSame = last?.latest.who === each.who && last.latest.what === each.what && each.rows === null;
      if (last && isSame) last.times += 1;
      else told.push({ latest: each, times: 1 });
    }
    return told;
  });
  const file = $derived(`${book === undefined ? '/api' : `/api/books/${book}`}/log/file?${searchOf(chosen)}`);
</script>

<div class="flex flex-wrap items-end gap-3 text-sm">
  <label class="grid gap-1"
    >Person<select class="select select-sm w-40" bind:value={who}>
      <option value="">everybody</option>
      {#each first?.people.filter(Boolean) ?? [] as each (each)}<option>{each}</option>{/each}
    </select></label
  >
  <label class="grid gap-1"
    >What<select class="select select-sm w-48" bind:value={deed}>
      <option value="">everything</option>
      {#each first?.deeds ?? [] as each (each)}<option>{each}</option>{/each}
    </select></label
  >
  <div class="grid gap-1">
    <label for="{id}-since">From</label><DateInput id="{id}-since" bind:value={since} />
  </div>
  <div class="grid gap-1">
    <label for="{id}-until">Until</label><DateInput id="{id}-until" bind:value={until} />
  </div>
  {#if first}<span class="quiet pb-1">{counted(first.total, 'entry')}</span>{/if}
  <span class="ml-auto pb-1"><DownloadButton {file}>download</DownloadButton></span>
</div>
{#if pages.error}<FailedNote problem={problemOf(pages.error)} onagain={() => void pages.refetch()} />{/if}
<ol class="mt-2 min-h-0 flex-1 overflow-y-auto" aria-label="Who did what">
  {#each entries as { latest: each, times } (each.id)}
    <li class="flex flex-wrap justify-between gap-x-4 border-t border-base-300 py-1">
      <span>
        <strong>{each.who || (each.came_from === 'command line' ? 'The command line' : 'Somebody')}</strong>
        {each.what}{each.rows === null ? '' : ` (${count(each.rows)} rows)`}{times > 1
          ? `, ${count(times)} times`
          : ''}.
      </span>
      <span class="quiet text-sm whitespace-nowrap" title={each.came_from}>{moment(each.at)}</span>
    </li>
  {:else}
    {#if first}<li class="quiet py-2">Nothing like that was put down.</li>{/if}
  {/each}
  {#if pages.hasNextPage}
    <li class="py-2">
      <button class="btn btn-outline btn-sm" disabled={pages.isFetching} onclick={() => pages.fetchNextPage()}
        >Show more</button
      >
    </li>
  {/if}
</ol>
