<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date } from '$lib/format/dates';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  type Role = Schemas['Role'];
  const ROLES: Record<Role, string> = {
    reader: 'asks, opens figures, takes files; keeps lists and views of their own',
    caller: 'sees the lists given to them and the customers on these, and works them',
    analyst: 'also imports, corrects, writes to customers, shares lists and views in the book',
    owner: 'also decides who is a member, erases, and sees who did what',
  };
  const client = useQueryClient();
  const path = $derived({ book: book.id });
  const key = $derived(['members', book.id]);
  const members = createQuery(() => ({
    queryKey: key,
    queryFn: () => answerOf(api.GET('/api/books/{book}/members', { params: { path } })),
  }));
  let added = $state<Schemas['MemberBody']>({ user: '', role: 'reader' });
  const taken = (now: Schemas['BookMembersShape']) => client.setQueryData(key, now);
  const set = useChange(
    (body: { user: string; role: Role }) =>
      answerOf(api.PUT('/api/books/{book}/members', { params: { path }, body })),
    (now, { user }) => {
      taken(now);
      if (user === added.user) added.user = '';
    },
  );
  const remove = useChange(
    (number: number) =>
      answerOf(api.DELETE('/api/books/{book}/members/{number}', { params: { path: { ...path, number } } })),
    taken,
  );
  const settings = createQuery(() => ({
    queryKey: ['settings', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}/settings', { params: { path } })),
  }));
  const decide = useChange(
    (body: Schemas['BookSettingsShape']) =>
      answerOf(api.PUT('/api/books/{book}/settings', { params: { path }, body })),
    (now) => client.setQueryData(['settings', book.id], now),
  );
  const problem = $derived(set.problem ?? remove.problem ?? decide.problem);
</script>

<div class="mx-auto grid w-full max-w-3xl gap-6 pt-2 pb-8">
  <div>
    <h1 class="text-2xl">Members of {book.name}</h1>
    <p class="quiet">
      Nobody else sees this book. Administrators make accounts; owners of a book say who may do what.
    </p>
  </div>
  {#if members.error}
    <FailedNote problem={problemOf(members.error)} onagain={() => void members.refetch()} />
  {/if}
  {#if problem}<ProblemNote {problem} />{/if}
  <ul class="grid gap-2">
    {#each members.data?.members ?? [] as member (member.user)}
      <li class="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 border-t border-base-300 pt-2">
        <span
          ><strong>{member.name}</strong>
          <span class="quiet">since {date(member.made_at.slice(0, 10))}</span></span
        >
        <span class="flex items-center gap-4">
          <select
            class="select select-sm w-32"
            aria-label="Role of {member.name}"
            value={member.role}
            disabled={set.pending}
            onchange={async (event) => {
              const select = event.currentTarget;
              const done = await set.run({ user: member.name, role: select.value as Role });
              if (!done) select.value = member.role;
            }}
          >
            {#each Object.keys(ROLES) as role (role)}<option>{role}</option>{/each}
          </select>
          <button class="word" disabled={remove.pending} onclick={() => remove.run(member.user)}
            >remove</button
          >
        </span>
      </li>
    {:else}
      {#if members.data}<li class="quiet">
          Nobody has an account here yet: whoever reaches the page may do everything.
        </li>{/if}
    {/each}
  </ul>
  <form
    class="flex flex-wrap items-end gap-3"
    onsubmit={(event) => {
      event.preventDefault();
      void set.run(added);
    }}
  >
    <label class="grid gap-1"
      >Account<input class="input input-sm w-56" required maxlength="120" bind:value={added.user} /></label
    >
    <label class="grid gap-1"
      >Role<select class="select select-sm w-32" bind:value={added.role}>
        {#each Object.keys(ROLES) as role (role)}<option>{role}</option>{/each}
      </select></label
    >
    <button class="btn btn-primary btn-sm" disabled={set.pending}>Add member</button>
  </form>
  {#if settings.data}
    <label class="flex items-center gap-2">
      <input
        type="checkbox"
        class="checkbox checkbox-sm"
        checked={settings.data.hides_people}
        disabled={decide.pending}
        onchange={(event) => decide.run({ hides_people: event.currentTarget.checked })}
      />
      Readers see numbers of customers in place of names and contacts
    </label>
  {/if}
  <dl class="grid grid-cols-[6rem_1fr] gap-y-1 text-sm">
    {#each Object.entries(ROLES) as [role, words] (role)}
      <dt class="font-semibold">{role}</dt>
      <dd class="quiet">{words}</dd>
    {/each}
  </dl>
</div>
