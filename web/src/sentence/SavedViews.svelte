<script lang="ts">
  import { said } from '$lib/format/reader';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { me } from '$lib/me.svelte';
  import { moment } from '$lib/format/dates';
  import { undo } from '$lib/undo.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import UndoNote from '$src/notes/UndoNote.svelte';

  let { words }: { words: string } = $props();
  const client = useQueryClient();
  const book = $derived(address.book ?? 0);
  let name = $state('');
  let older = $state<string | null>(null);
  const saved = createQuery(() => ({
    queryKey: ['saved', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/views', { params: { path: { book } } })),
  }));
  const views = $derived(saved.data?.views ?? []);
  const known = $derived(views.find((each) => isNamed(each, name)));

  /** Names that people take for one are one. */
  const isNamed = (view: Schemas['SavedViewShape'], name: string) =>
    view.name.localeCompare(name.trim(), undefined, { sensitivity: 'base' }) === 0;

  const change = useChange(
    (work: () => Promise<Schemas['SavedViewsShape']>) => work(),
    (now) => client.setQueryData(['saved', book], now),
  );

  /** The version that was seen goes with a change: somebody else may have saved another one since. */
  const seen = (view: Schemas['SavedViewShape'] | undefined) => ({
    'If-Match': `"${view?.versions[0]?.version ?? 0}"`,
  });

  async function save(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const stop = address.stop as Schemas['ViewBody']['stop'];
    const kept = new URLSearchParams(address.query);
    for (const beside of ['open', 'help']) kept.delete(beside);
    const body = { name: name.trim() || words, stop, query: kept.toString(), words };
    const headers = seen(views.find((each) => isNamed(each, body.name)));
    const saved = await change.run(() =>
      answerOf(api.POST('/api/books/{book}/views', { params: { path: { book } }, headers, body })),
    );
    if (saved) name = '';
  }

  async function remove(view: Schemas['SavedViewShape'], saved: number): Promise<void> {
    const params = { path: { book, saved } };
    const headers = seen(view);
    const versions = view.versions.length > 1 ? ` with its ${view.versions.length} versions` : '';
    const deleted = await change.run(() =>
      answerOf(api.DELETE('/api/books/{book}/views/{saved}', { params, headers })),
    );
    if (deleted)
      undo.give({
        words: `“${view.name}” was deleted${versions}.`,
        bringBack: () => answerOf(api.POST('/api/books/{book}/views/{saved}/undelete', { params })),
      });
  }

  function open(event: MouseEvent, version: Schemas['VersionShape'], close: () => void): void {
    followed(event, () => {
      close();
      address.visit(book, version.stop, new URLSearchParams(version.query));
    });
  }

  function send(name: string, close: () => void): void {
    close();
    address.visit(book, 'schedules', new URLSearchParams({ letter: name }));
  }

  const target = (version: Schemas['VersionShape']) =>
    addressOf(book, version.stop, new URLSearchParams(version.query));
</script>

{#snippet panel(close: () => void)}
  <div class="grid w-[26rem] max-w-full gap-3">
    <form class="flex gap-2" onsubmit={save}>
      <input
        class="input input-sm flex-1"
        bind:value={name}
        aria-label="Name of the view"
        maxlength="120"
        placeholder={words}
      />
      <button class="btn btn-primary btn-sm" disabled={change.pending}
        >{known ? `Save as version ${(known.versions[0]?.version ?? 0) + 1}` : 'Save this view'}</button
      >
    </form>
    {#if change.problem}<ProblemNote problem={change.problem} />{/if}
    <UndoNote inPanel />
    {#if views.length === 0}
      <p class="quiet text-sm">
        Nothing saved yet. A saved view keeps every choice of both sentences; saving under a name again keeps
        the earlier versions too.
      </p>
    {/if}
    <ul class="grid max-h-80 gap-2 overflow-y-auto">
      {#each views as each (each.name)}
        {@const newest = each.versions[0]}
        {#if newest}
          <li class="border-t border-base-300 pt-2">
            <p class="flex items-baseline justify-between gap-3">
              <a
                class="hit font-semibold hover:underline"
                href={target(newest)}
                onclick={(event) => open(event, newest, close)}>{each.name}</a
              >
              <span class="quiet text-sm whitespace-nowrap">version {newest.version}</span>
            </p>
            {#if newest.words !== each.name}<p class="quiet text-sm">{said(newest.words)}</p>{/if}
            {#if each.made_by}
              <p class="quiet text-sm">
                Saved by {each.made_by}{each.shared ? '' : ', seen by nobody else'}.
              </p>
            {/if}
            <p class="flex gap-4 text-sm">
              {#if me.made(each.made_by)}
                <button class="word" onclick={() => (name = each.name)}>save over it</button>
              {/if}
              {#if each.versions.length > 1}
                <button class="word" onclick={() => (older = older === each.name ? null : each.name)}
                  >earlier versions</button
                >
              {/if}
              {#if me.made(each.made_by)}
                {#if me.session?.has_accounts && me.may('import and correct')}
                  <button
                    class="word"
                    onclick={() =>
                      change.run(() =>
                        answerOf(
                          api.PUT('/api/books/{book}/views/{saved}/shared', {
                            params: { path: { book, saved: newest.id } },
                            body: { shared: !each.shared },
                          }),
                        ),
                      )}>{each.shared ? 'see it alone' : 'share in the book'}</button
                  >
                {/if}
                {#if me.may('import and correct')}
                  <button class="word" onclick={() => send(each.name, close)}>send on a schedule</button>
                {/if}
                <button class="word" onclick={() => void remove(each, newest.id)}>delete</button>
              {/if}
            </p>
            {#if older === each.name}
              <ol class="mt-1 grid gap-1 border-l-2 border-base-300 pl-3 text-sm">
                {#each each.versions.slice(1) as version (version.id)}
                  <li>
                    <a
                      class="hover:underline"
                      href={target(version)}
                      onclick={(event) => open(event, version, close)}
                      >version {version.version}, {moment(version.saved_at)}</a
                    >:
                    {said(version.words)}
                    <button
                      class="word"
                      onclick={() =>
                        change.run(() =>
                          answerOf(
                            api.POST('/api/books/{book}/views/{saved}/restore', {
                              params: { path: { book, saved: version.id } },
                              headers: seen(each),
                            }),
                          ),
                        )}>restore</button
                    >
                  </li>
                {/each}
              </ol>
            {/if}
          </li>
        {/if}
      {/each}
    </ul>
  </div>
{/snippet}

<span class="shrink-0 text-sm not-printed">
  <WordPanel text="saved views" title="Saved views" {panel} />
</span>
