<script lang="ts">
  import { untrack, type Component } from 'svelte';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { api, problemOf, answerOf, openSession, UNLOADED, type Schemas } from '$lib/api/client';
  import { watchBook } from '$lib/changes';
  import { commands } from '$lib/commands.svelte';
  import { me } from '$lib/me.svelte';
  import AccountMenu from '$src/people/AccountMenu.svelte';
  import BookMenu from './BookMenu.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import Guarded from '$src/notes/Guarded.svelte';
  import UndoNote from '$src/notes/UndoNote.svelte';
  import { printing } from '$lib/printing.svelte';
  import { askAnew, seen } from '$lib/seen.svelte';
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
  const WORKED = 'followup';
  const books = createQuery(() => ({
    queryKey: ['books'],
    queryFn: async () => {
      await openSession();
      return answerOf(api.GET('/api/books'));
    },
    enabled: address.path !== '/password',
  }));
  const known = $derived(books.data?.books ?? []);
  const book = $derived(known.find((candidate) => candidate.id === address.book));
  /** Those that whoever uses the page may see. */
  const open = $derived(stops.filter((each) => me.may(each.right ?? 'ask and take files')));
  const onThread = $derived(open.filter((each) => !each.apart));
  const stop = $derived(stops.find((each) => each.name === address.stop));
  const first = $derived(known[0]);
  /** Pages that are of no book. */
  const PAGES: Record<string, () => Promise<{ default: Component }>> = {
    '/account': () => import('$src/people/AccountPage.svelte'),
    '/accounts': () => import('$src/people/AccountsPage.svelte'),
    '/password': () => import('$src/people/PasswordPage.svelte'),
  };
  const ofNoBook = $derived(PAGES[address.path]);
  const renamed = $derived(stops.find((each) => each.was !== undefined && each.was === address.stop));
  const page = $derived(stop && (stop.load ?? (() => import('./StopPage.svelte')))());
  let beginning = $state(false);
  /** Whether the server is bringing the book forward after a change, so that answers take a moment longer. */
  let reading = $state(false);
  /** Why parts of the book cannot be asked where they are, so that the server works alone; empty where they can. */
  let alone = $state('');
  let noted: ReturnType<typeof setTimeout> | undefined;
  const client = useQueryClient();
  const bookId = $derived(book?.id);
  $effect.pre(() => me.opened(book));

  $effect(() => {
    if (bookId === undefined || me.mustSignIn) return;
    const id = bookId;
    return watchBook(
      id,
      (state) => {
        seen.take(id, state);
        hearNews();
      },
      (now) => {
        clearTimeout(noted);
        if (now) noted = setTimeout(() => (reading = true), WORTH_SAYING_MS);
        else reading = false;
      },
      (why) => (alone = why),
    );
  });
  $effect(() => {
    if (!book) return;
    seen.take(book.id, { revision: book.revision });
    untrack(hearNews);
  });

  function hearNews(): void {
    if (seen.isNews()) void askAnew(client);
  }

  function beginsAt(first: Schemas['MyBookShape']): string {
    if (!first.rights.includes('ask and take files')) return WORKED;
    return first.revision > 0 || !first.rights.includes('import and correct') ? FILLED : EMPTY;
  }

  // an address that names no book or no stop leads to one, and "back" leads past it
  $effect(() => {
    const shown = book ?? first;
    if (books.isSuccess && shown && !ofNoBook && !(book && stop))
      address.lead(shown.id, renamed?.name ?? beginsAt(shown));
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

<div
  class="mx-auto flex min-h-full max-w-[1720px] flex-col px-3 pb-3 desk:h-full desk:px-7 print:h-auto"
  inert={me.mustSignIn}
>
  <header
    class="relative flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 py-2 desk:h-[70px] desk:flex-nowrap desk:py-0 lg:gap-x-5"
  >
    <div class="relative min-w-0 shrink-0 desk:w-36 lg:w-40">
      <p class="font-serif text-[1.4rem] leading-7 font-semibold">Gold Thread</p>
      {#if ofNoBook && first}
        <a
          class="word quiet text-sm"
          href={addressOf(first.id, beginsAt(first))}
          onclick={(event) => followed(event, () => address.visit(first.id, beginsAt(first)))}
          >back to {first.name}</a
        >
      {:else if book}
        <BookMenu
          {book}
          books={known}
          pages={open.filter((each) => each.apart === 'menu')}
          onbegin={(begins) => (beginning = begins)}
        />
      {/if}
    </div>
    {#if book && stop && !beginning}<StopThread book={book.id} stops={onThread} />{/if}
    <div class="ml-auto flex flex-wrap items-center gap-1 not-printed desk:flex-nowrap">
      {#if book && stop && !beginning}
        {#await import('./FindCustomer.svelte')}
          <span class="input input-sm w-40 xl:w-48"></span>
        {:then { default: FindCustomer }}
          {#if me.may('ask and take files')}<FindCustomer book={book.id} />{/if}
        {/await}
        {#each open.filter((each) => each.apart === 'head') as each (each.name)}
          <StopLink book={book.id} stop={each} look="btn btn-ghost btn-sm text-sm font-normal" />
        {/each}
      {/if}
      <Keys stops={onThread} />
      <ThemeSwitch />
      {#if me.name}<AccountMenu />{/if}
    </div>
    {#if reading && book && !beginning}
      <p class="quiet absolute right-0 bottom-0 text-xs not-printed" role="status">
        The book was changed and is being read again. Figures follow in a moment.
      </p>
    {:else if alone && book}
      <p class="absolute right-0 bottom-0 text-xs text-error not-printed" role="status" title={alone}>
        The cluster cannot be reached, so this server works alone: answers take longer.
      </p>
    {/if}
  </header>
  <main class="flex min-h-0 flex-1 flex-col outline-none" tabindex="-1">
    {#if book}<WorkUnderWay book={book.id} />{/if}
    {#if books.error}
      <FailedNote problem={problemOf(books.error)} onagain={() => void books.refetch()} />
    {/if}
    {#if ofNoBook}
      {#key address.path}
        {#await ofNoBook() then { default: Page }}
          <Guarded><Page /></Guarded>
        {:catch}<FailedNote problem={UNLOADED} onagain={() => location.reload()} />{/await}
      {/key}
    {:else if books.isSuccess && known.length === 0 && !me.session?.may_begin_books}
      <h1 class="mt-6 text-2xl">No book is open to you yet.</h1>
      <p class="quiet">Ask an owner of a book to make you a member. Your account is called {me.name}.</p>
    {:else if beginning || (books.isSuccess && known.length === 0)}
      {#await import('./FirstBook.svelte') then { default: FirstBook }}
        <FirstBook isFirst={known.length === 0} onclose={() => (beginning = false)} />
      {:catch}<FailedNote problem={UNLOADED} onagain={() => location.reload()} />{/await}
    {:else if book && stop && !open.includes(stop)}
      <h1 class="mt-6 text-2xl">{stop.title} is not open to you.</h1>
      <p class="quiet">
        {stop.right === 'decide about the book' ? 'Owners' : 'Analysts and owners'} of the book see it. Ask an owner,
        if you should. You are signed in as {me.name}, {me.role} of {book.name}.
      </p>
    {:else if book && stop && !me.may('ask and take files') && !address.query.has('list')}
      {#await import('$src/people/OwnLists.svelte') then { default: OwnLists }}
        <Guarded><OwnLists {book} /></Guarded>
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
{#if me.mustSignIn}
  {#await import('$src/people/SignIn.svelte') then { default: SignIn }}<SignIn />{/await}
{/if}
