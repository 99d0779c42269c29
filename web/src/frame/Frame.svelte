<script lang="ts">
  import { untrack } from 'svelte';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, answerOf, UNLOADED } from '$lib/api/client';
  import { watchBook } from '$lib/changes';
  import { commands } from '$lib/commands.svelte';
  import BookMenu from './BookMenu.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import Guarded from '$src/notes/Guarded.svelte';
  import UndoNote from '$src/notes/UndoNote.svelte';
  import { printing } from '$lib/printing.svelte';
  import { seen } from '$lib/seen.svelte';
  import Keys from './Keys.svelte';
  import StopLink from './StopLink.svelte';
  import StopThread from './StopThread.svelte';
  import ThemeSwitch from './ThemeSwitch.svelte';
  import WorkUnderWay from './WorkUnderWay.svelte';
  import type { Stop } from './stop';

  let { stops }: { stops: readonly Stop[] } = $props();
  /** What takes less time than this is not worth a word. */
  const WORTH_SAYING_MS = 700;
  /** Where one goes first. */
  const FILLED = 'overview';
  const EMPTY = 'import';
  const books = createQuery(() => ({
    queryKey: ['books'],
    queryFn: () => answerOf(api.GET('/api/books')),
  }));
  const known = $derived(books.data?.books ?? []);
  const book = $derived(known.find((candidate) => candidate.id === address.book));
  const onThread = $derived(stops.filter((each) => !each.apart));
  const stop = $derived(stops.find((each) => each.name === address.stop));
  const renamed = $derived(stops.find((each) => each.was !== undefined && each.was === address.stop));
  const page = $derived(stop && (stop.load ?? (() => import('./StopPage.svelte')))());
  let beginning = $state(false);
  /** Whether the server is bringing the book forward after a change, so that answers take a moment longer. */
  let reading = $state(false);
  let noted: ReturnType<typeof setTimeout> | undefined;
  const client = useQueryClient();
  const bookId = $derived(book?.id);

  $effect(() => {
    if (bookId === undefined) return;
    const id = bookId;
    return watchBook(
      id,
      (state) => {
        seen.take(id, state);
        askAnew();
      },
      (now) => {
        clearTimeout(noted);
        if (now) noted = setTimeout(() => (reading = true), WORTH_SAYING_MS);
        else reading = false;
      },
    );
  });
  $effect(() => {
    if (!book) return;
    seen.take(book.id, { revision: book.revision });
    untrack(askAnew);
  });

  function askAnew(): void {
    if (seen.isNews()) void client.invalidateQueries();
  }

  // an address that names no book or no stop leads to one, and "back" leads past it
  $effect(() => {
    const first = book ?? known[0];
    if (books.isSuccess && first && !(book && stop))
      address.lead(first.id, renamed?.name ?? (first.revision > 0 ? FILLED : EMPTY));
  });
</script>

<svelte:head>
  <title>{stop && book ? `${stop.title}, ${book.name}: ` : ''}Gold Thread</title>
</svelte:head>
<svelte:window
  onkeydown={(event) => {
    commands.pressed(event);
    printing.pressed(event);
  }}
/>

<div class="mx-auto flex min-h-full max-w-[1720px] flex-col px-3 pb-3 desk:h-full desk:px-7 print:h-auto">
  <header
    class="relative flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 py-2 desk:h-[70px] desk:flex-nowrap desk:py-0 lg:gap-x-5"
  >
    <div class="relative min-w-0 shrink-0 desk:w-36 lg:w-40">
      <p class="font-serif text-[1.4rem] leading-7 font-semibold">Gold Thread</p>
      {#if book}
        <BookMenu {book} books={known} onbegin={(begins) => (beginning = begins)} />
      {/if}
    </div>
    {#if book && stop && !beginning}<StopThread book={book.id} stops={onThread} />{/if}
    <div class="ml-auto flex flex-wrap items-center gap-1 not-printed desk:flex-nowrap">
      {#if book && stop && !beginning}
        {#await import('./FindCustomer.svelte')}
          <span class="input input-sm w-40 xl:w-48"></span>
        {:then { default: FindCustomer }}<FindCustomer book={book.id} />{/await}
        {#each stops.filter((each) => each.apart) as each (each.name)}
          <StopLink book={book.id} stop={each} look="btn btn-ghost btn-sm text-sm font-normal" />
        {/each}
      {/if}
      <Keys stops={onThread} />
      <ThemeSwitch />
    </div>
    {#if reading && book && !beginning}
      <p class="quiet absolute right-0 bottom-0 text-xs not-printed" role="status">
        The book was changed and is being read again. Figures follow in a moment.
      </p>
    {/if}
  </header>
  <main class="flex min-h-0 flex-1 flex-col outline-none" tabindex="-1">
    {#if book}<WorkUnderWay book={book.id} />{/if}
    {#if books.error}
      <FailedNote problem={problemOf(books.error)} onagain={() => void books.refetch()} />
    {/if}
    {#if beginning || (books.isSuccess && known.length === 0)}
      {#await import('./FirstBook.svelte') then { default: FirstBook }}
        <FirstBook isFirst={known.length === 0} onclose={() => (beginning = false)} />
      {:catch}<FailedNote problem={UNLOADED} onagain={() => location.reload()} />{/await}
    {:else if book && stop && page}
      {#key `${book.id} ${stop.name}`}
        {#await page}
          <h1 class="quiet mt-6 text-lg font-normal"><span role="status">Opening {stop.title}…</span></h1>
        {:then { default: Page }}
          <Guarded><Page {book} {stop} /></Guarded>
        {:catch}
          <FailedNote problem={UNLOADED} onagain={() => location.reload()} />
        {/await}
      {/key}
    {:else if !books.error}
      <p class="quiet mt-6" role="status">Opening the books…</p>
    {/if}
  </main>
  <UndoNote />
</div>
