<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { answerOf, api, openSession, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { dateTyped } from '$lib/format/dates';
  import { me } from '$lib/me.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import { KINDS } from './words';

  interface Props {
    book: Schemas['BookShape'];
    taken: (now: Schemas['SchedulesShape']) => void;
  }
  let { book, taken }: Props = $props();
  type Kind = keyof typeof KINDS;
  const OVERVIEW = 'overview';
  const path = $derived({ book: book.id });
  const asked = $derived(address.query.get('letter'));
  let chosen = $state<Kind>();
  const kind = $derived<Kind>(chosen ?? (asked === null ? 'folder' : 'letter'));
  let every = $state('every Monday at 06:00');
  let source = $state('');
  let folder = $state('');
  let letter = $state<string>();
  let to = $state('');
  let attach = $state<Schemas['LetterIn']['attach']>('');
  let onlyNew = $state(false);
  let database = $state('');
  let query = $state('');
  let column = $state('');
  let since = $state('');

  const session = createQuery(() => ({ queryKey: ['session'], queryFn: openSession }));
  const summary = createQuery(() => ({
    queryKey: ['book', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}', { params: { path } })),
  }));
  const views = createQuery(() => ({
    queryKey: ['saved', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}/views', { params: { path } })),
  }));
  const lists = createQuery(() => ({
    queryKey: ['lists', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}/lists', { params: { path } })),
  }));
  const briefs = createQuery(() => ({
    queryKey: ['briefs', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}/briefs', { params: { path } })),
  }));
  const times = createQuery(() => ({
    queryKey: ['when', book.id, every],
    queryFn: () =>
      answerOf(api.GET('/api/books/{book}/schedules/when', { params: { path, query: { every } } })),
    enabled: every.trim() !== '',
    placeholderData: (before?: Schemas['WhenShape']) => before,
    retry: false,
  }));
  const kinds = $derived(
    (Object.keys(KINDS) as Kind[]).filter(
      (each) => each !== 'query' || (session.data?.databases.length && me.may('decide about the book')),
    ),
  );
  const sources = $derived(summary.data?.known_sources ?? []);
  const add = useChange(
    (body: Schemas['ScheduleIn']) =>
      answerOf(api.POST('/api/books/{book}/schedules', { params: { path }, body })),
    (now) => {
      taken(now);
      [folder, to, query] = ['', '', ''];
    },
  );

  function said(): Schemas['ScheduleIn']['schedule'] {
    switch (kind) {
      case 'folder':
        return { kind, every, source, folder };
      case 'query':
        return { kind, every, source, database, query, since_column: column, since };
      case 'letter':
        return {
          kind,
          every,
          letter: letter ?? asked ?? OVERVIEW,
          to: to.split(/[\s,;]+/).filter(Boolean),
          attach,
          only_new: onlyNew,
        };
    }
  }
</script>

<form
  class="card card-border grid gap-3 bg-base-100 p-4"
  aria-label="Another schedule"
  onsubmit={(event) => {
    event.preventDefault();
    void add.run({ schedule: said() });
  }}
>
  <h2 class="text-lg">Another one</h2>
  <label class="grid gap-1 text-sm"
    >When<input class="input input-sm w-full" maxlength="120" required bind:value={every} />
    {#if times.error}
      <span class="text-error">{problemOf(times.error).detail} {problemOf(times.error).remedy}</span>
    {:else if times.data}
      <span class="quiet"
        >Next: {times.data.following
          .map((each) => dateTyped(each.slice(0, 16).replace('T', ' ')))
          .join('; ')}. As an expression: {times.data.cron}</span
      >
    {/if}
  </label>
  <label class="grid gap-1 text-sm"
    >What<select
      class="select select-sm w-full"
      value={kind}
      onchange={(event) => (chosen = event.currentTarget.value as Kind)}
    >
      {#each kinds as each (each)}<option value={each}>{KINDS[each]}</option>{/each}
    </select></label
  >
  {#if kind !== 'letter'}
    <label class="grid gap-1 text-sm"
      >Source<input
        class="input input-sm w-full"
        list="known-sources"
        maxlength="120"
        required
        bind:value={source}
      /></label
    >
    <datalist id="known-sources"
      >{#each sources as each (each)}<option value={each}></option>{/each}</datalist
    >
  {/if}
  {#if kind === 'folder'}
    <label class="grid gap-1 text-sm"
      >Folder<input class="input input-sm w-full" maxlength="1000" required bind:value={folder} />
      <span class="quiet"
        >A name makes a folder in the inbox of this installation. Each file goes into <i>done</i> or
        <i>failed</i> beside it, with its report.</span
      ></label
    >
  {:else if kind === 'letter'}
    <label class="grid gap-1 text-sm"
      >Letter<select
        class="select select-sm w-full"
        value={letter ?? asked ?? OVERVIEW}
        onchange={(event) => (letter = event.currentTarget.value)}
      >
        <option value={OVERVIEW}>the Overview</option>
        {#each views.data?.views ?? [] as view (view.name)}
          <option value={view.name}>{view.name}</option>
        {/each}
        {#each lists.data?.lists ?? [] as list (list.id)}
          <option value="list:{list.name}">list {list.name}</option>
        {/each}
        {#each briefs.data?.briefs ?? [] as brief (brief.id)}
          <option value="brief:{brief.name}">brief {brief.name}</option>
        {/each}
      </select></label
    >
    <label class="grid gap-1 text-sm"
      >To<textarea
        class="textarea min-h-16 w-full text-sm"
        placeholder="mo@marlpit.example, ada@marlpit.example"
        required
        bind:value={to}></textarea></label
    >
    <label class="grid gap-1 text-sm"
      >The table as a file with it<select class="select select-sm w-full" bind:value={attach}>
        <option value="">no</option><option value="xlsx">XLSX</option><option value="csv">CSV</option>
      </select></label
    >
    <label class="flex items-center gap-2 text-sm"
      ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={onlyNew} />Only when something is new</label
    >
  {:else}
    <label class="grid gap-1 text-sm"
      >Database<select class="select select-sm w-full" required bind:value={database}>
        {#each session.data?.databases ?? [] as each (each)}<option>{each}</option>{/each}
      </select></label
    >
    <label class="grid gap-1 text-sm"
      >Query<textarea class="textarea min-h-24 w-full font-mono text-sm" required bind:value={query}
      ></textarea>
      <span class="quiet">:since stands for the last value of the column below.</span></label
    >
    <div class="grid grid-cols-2 gap-2">
      <label class="grid gap-1 text-sm"
        >Goes on by column<input class="input input-sm w-full" maxlength="120" bind:value={column} /></label
      >
      <label class="grid gap-1 text-sm"
        >Begins with<input class="input input-sm w-full" maxlength="120" bind:value={since} /></label
      >
    </div>
  {/if}
  {#if add.problem}<ProblemNote problem={add.problem} />{/if}
  <button class="btn btn-primary justify-self-start" disabled={add.pending}>Add schedule</button>
</form>
