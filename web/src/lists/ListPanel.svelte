<script lang="ts">
  import { said } from '$lib/format/reader';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { api, problemOf, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import { me } from '$lib/me.svelte';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import UndoNote from '$src/notes/UndoNote.svelte';
  import { searchOf } from '$lib/search';
  import { useNoted } from '$src/written/noted.svelte';
  import NoteMark from '$src/written/NoteMark.svelte';
  import Notes from '$src/written/Notes.svelte';
  import { undo } from '$lib/undo.svelte';

  interface Props {
    book: number;
    /** The list in use, empty without one. */
    chosen: string;
    onchoose: (name: string) => void;
  }
  let { book, chosen, onchoose }: Props = $props();
  type List = Schemas['CustomerListShape'];
  const client = useQueryClient();
  let renaming = $state<number | null>(null);
  let typed = $state('');
  let deleting = $state<number | null>(null);
  let dividing = $state<number | null>(null);
  let noting = $state<number | null>(null);
  const noted = useNoted();

  const asked = createQuery(() => ({
    queryKey: ['lists', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/lists', { params: { path: { book } } })),
  }));
  const lists = $derived(asked.data?.lists ?? []);

  function changed(now: Schemas['CustomerListsShape'], was: string, name: string): void {
    client.setQueryData(['lists', book], now);
    renaming = deleting = null;
    if (was === chosen) onchoose(name);
  }

  const rename = useChange(
    ({ list, name }: { list: List; name: string }) =>
      answerOf(
        api.PUT('/api/books/{book}/lists/{list}', {
          params: { path: { book, list: list.id } },
          body: { name },
        }),
      ),
    (now, { list, name }) => changed(now, list.name, name),
  );
  const remove = useChange(
    (list: List) =>
      answerOf(api.DELETE('/api/books/{book}/lists/{list}', { params: { path: { book, list: list.id } } })),
    (now, list) => {
      const was = list.name === chosen;
      changed(now, list.name, '');
      undo.give({ words: `“${list.name}” was deleted.`, bringBack: () => bringBack(list, was) });
    },
  );

  const share = useChange(
    (list: List) =>
      answerOf(
        api.PUT('/api/books/{book}/lists/{list}/shared', {
          params: { path: { book, list: list.id } },
          body: { shared: !list.shared },
        }),
      ),
    (now, list) => changed(now, list.name, list.name),
  );

  async function bringBack(list: List, wasChosen: boolean): Promise<void> {
    const params = { path: { book, list: list.id } };
    await answerOf(api.POST('/api/books/{book}/lists/{list}/undelete', { params }));
    const { stop } = address;
    if (!wasChosen || address.book !== book || !stop) return;
    const query = new URLSearchParams(address.query);
    query.set('list', list.name);
    address.visit(book, stop, query);
  }

  const busy = $derived(rename.pending || remove.pending || share.pending);
  const problem = $derived(rename.problem ?? remove.problem ?? share.problem);

  const fileOf = (list: List) =>
    `/api/books/${book}/ask/customers/file?${searchOf({ list: list.name }, { form: 'csv' })}`;
  const workedQuery = (list: List) => new URLSearchParams({ list: list.name, view: 'worked' });
  const threadsOf = (list: List) => addressOf(book, 'threads', new URLSearchParams({ list: list.name }));
</script>

<div class="grid w-[30rem] max-w-full gap-2">
  <p class="quiet text-sm">Customer lists</p>
  <UndoNote inPanel />
  {#if problem}<ProblemNote {problem} />{/if}
  {#if asked.error}<ProblemNote problem={problemOf(asked.error)} />{/if}
  <ul class="grid max-h-96 gap-2 overflow-y-auto">
    {#each lists as list (list.id)}
      <li class="border-t border-base-300 pt-2">
        {#if renaming === list.id}
          <form
            class="flex gap-2"
            onsubmit={(event) => {
              event.preventDefault();
              void rename.run({ list, name: typed.trim() });
            }}
          >
            <input
              class="input input-sm flex-1"
              aria-label="New name of {list.name}"
              bind:value={typed}
              maxlength="120"
              required
            />
            <button class="btn btn-primary btn-sm" disabled={busy}>Rename</button>
            <button type="button" class="btn btn-sm" onclick={() => (renaming = null)}>Keep the name</button>
          </form>
        {:else}
          <p class="flex items-baseline justify-between gap-3">
            <button class="hit text-left font-semibold hover:underline" onclick={() => onchoose(list.name)}
              >{list.name}{#if noted.has('list', list.id)}<NoteMark />{/if}</button
            >
            <span class="quiet text-sm whitespace-nowrap">{counted(list.customers, 'customer')}</span>
          </p>
        {/if}
        <p class="quiet text-sm">
          {list.rule === list.name ? '' : `${list.rule}, `}as of {date(list.as_of)}. {said(list.reading)}
          {#if list.made_by}Kept by {list.made_by}{list.shared ? '' : ', seen by nobody else'}.{/if}
        </p>
        <p class="flex flex-wrap items-baseline gap-x-4 text-sm">
          {#if deleting === list.id}
            <span>Delete this list? Its customers stay.</span>
            <button class="word" disabled={busy} onclick={() => remove.run(list)}>delete it</button>
            <button class="word" onclick={() => (deleting = null)}>keep it</button>
          {:else}
            {#if list.name !== chosen}
              <button class="word" onclick={() => onchoose(list.name)}>apply</button>
            {/if}
            <a
              class="word"
              href={threadsOf(list)}
              onclick={(event) =>
                followed(event, () =>
                  address.visit(book, 'threads', new URLSearchParams({ list: list.name })),
                )}>open as threads</a
            >
            <a
              class="word"
              href={addressOf(book, 'followup', workedQuery(list))}
              onclick={(event) => followed(event, () => address.visit(book, 'followup', workedQuery(list)))}
              >work it</a
            >
            <span><DownloadButton file={fileOf(list)}>download</DownloadButton></span>
            {#if me.may('keep lists and views')}
              <button
                class="word"
                aria-expanded={noting === list.id}
                onclick={() => (noting = noting === list.id ? null : list.id)}>notes</button
              >
            {/if}
            {#if me.made(list.made_by)}
              {#if me.session?.has_accounts && me.may('import and correct')}
                <button class="word" disabled={busy} onclick={() => share.run(list)}
                  >{list.shared ? 'see it alone' : 'share in the book'}</button
                >
                <button class="word" onclick={() => (dividing = dividing === list.id ? null : list.id)}
                  >give to callers</button
                >
              {/if}
              <button
                class="word"
                onclick={() => {
                  typed = list.name;
                  renaming = list.id;
                }}>rename</button
              >
              <button class="word" onclick={() => (deleting = list.id)}>delete</button>
            {/if}
          {/if}
        </p>
        {#if noting === list.id}
          <div class="mt-1 text-sm"><Notes {book} thing={{ about: 'list', key: String(list.id) }} /></div>
        {/if}
        {#if dividing === list.id}
          {#await import('./DivideList.svelte') then { default: DivideList }}
            <DivideList {book} {list} onclose={() => (dividing = null)} />
          {/await}
        {/if}
      </li>
    {/each}
  </ul>
  {#if chosen}
    <button class="btn btn-sm justify-self-start" onclick={() => onchoose('')}>Use no list</button>
  {/if}
</div>
