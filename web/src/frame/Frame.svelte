<script lang="ts">
  import { untrack } from 'svelte';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told } from '$lib/api/client';
  import { watchBook } from '$lib/changes';
  import ChecksStop from '$src/stops/checks/ChecksStop.svelte';
  import CohortsStop from '$src/stops/cohorts/CohortsStop.svelte';
  import NewnessStop from '$src/stops/newness/NewnessStop.svelte';
  import ThreadsStop from '$src/stops/threads/ThreadsStop.svelte';
  import IntakeStop from '$src/stops/intake/IntakeStop.svelte';
  import BookMenu from './BookMenu.svelte';
  import ChecksLink from './ChecksLink.svelte';
  import FindCustomer from './FindCustomer.svelte';
  import FirstBook from './FirstBook.svelte';
  import Keys from './Keys.svelte';
  import ProblemNote from './ProblemNote.svelte';
  import ThemeSwitch from './ThemeSwitch.svelte';
  import ThreadOfStops from './ThreadOfStops.svelte';

  /** What takes less time than this is not worth a word. */
  const WORTH_SAYING_MS = 700;
  const books = createQuery(() => ({
    queryKey: ['books'],
    queryFn: () => told(api.GET('/api/books')),
  }));
  const known = $derived(books.data?.books ?? []);
  const book = $derived(known.find((candidate) => candidate.id === address.book));
  let beginning = $state(false);
  /** Whether the server is bringing the book forward after a change, so that answers take a moment longer. */
  let reading = $state(false);
  let noted: ReturnType<typeof setTimeout> | undefined;
  const client = useQueryClient();
  const bookId = $derived(book?.id);

  $effect(() => {
    if (bookId === undefined) return;
    const id = bookId;
    let known = untrack(() => book?.revision);
    return watchBook(
      id,
      (revision) => {
        if (revision !== known) void client.invalidateQueries();
        known = revision;
      },
      (now) => {
        clearTimeout(noted);
        if (now) noted = setTimeout(() => (reading = true), WORTH_SAYING_MS);
        else reading = false;
      },
    );
  });

  $effect(() => {
    const first = known[0];
    if (books.isSuccess && first && !book) address.visit(first.id, first.revision > 0 ? 'cohorts' : 'intake');
  });
</script>

<div class="mx-auto flex h-full min-w-[900px] max-w-[1720px] flex-col px-7 pb-3">
  <header class="relative flex h-[70px] shrink-0 items-center gap-2 lg:gap-6">
    <div class="relative w-40 shrink-0 lg:w-44">
      <p class="font-serif text-[1.4rem] leading-7 font-semibold">Gold Thread</p>
      {#if book}
        <BookMenu {book} books={known} onbegin={() => (beginning = true)} />
      {/if}
    </div>
    {#if book && address.stop && !beginning}
      <ThreadOfStops book={book.id} stop={address.stop} />
    {/if}
    <div class="ml-auto flex items-center gap-1 not-printed">
      {#if book && address.stop && !beginning}<FindCustomer book={book.id} />{/if}
      {#if book && address.stop && !beginning}<ChecksLink book={book.id} stop={address.stop} />{/if}
      <Keys />
      <ThemeSwitch />
    </div>
    {#if reading && book && !beginning}
      <p class="quiet absolute right-0 bottom-0 text-xs not-printed" role="status">
        The book was changed and is being read again. Figures follow in a moment.
      </p>
    {/if}
  </header>
  {#if books.error}
    <ProblemNote problem={problemOf(books.error)} />
  {:else if beginning || (books.isSuccess && known.length === 0)}
    <FirstBook isFirst={known.length === 0} onclose={() => (beginning = false)} />
  {:else if book}
    {#key book.id}
      {#if address.stop === 'intake'}
        <IntakeStop {book} />
      {:else if address.stop === 'threads'}
        <ThreadsStop {book} />
      {:else if address.stop === 'cohorts'}
        <CohortsStop {book} />
      {:else if address.stop === 'newness'}
        <NewnessStop {book} />
      {:else if address.stop === 'checks'}
        <ChecksStop {book} />
      {/if}
    {/key}
  {/if}
</div>
