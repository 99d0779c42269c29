<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date } from '$lib/format/dates';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import LogTable from './LogTable.svelte';

  type User = Schemas['UserShape'];
  const client = useQueryClient();
  const users = createQuery(() => ({ queryKey: ['users'], queryFn: () => answerOf(api.GET('/api/users')) }));
  let added = $state({ name: '', email: '', is_admin: false });
  let link = $state<{ name: string; address: string }>();
  let ending = $state<number>();
  let isShowingLog = $state(false);
  const taken = (now: Schemas['UsersShape']) => client.setQueryData(['users'], now);

  const makeLink = useChange(
    ({ user, mail }: { user: User; mail: boolean }) =>
      answerOf(
        api.POST('/api/users/{number}/link', { params: { path: { number: user.id }, query: { mail } } }),
      ),
    (made, { user }) => (link = { name: user.name, address: made.link }),
  );
  const add = useChange(
    () => answerOf(api.POST('/api/users', { body: added })),
    (user) => {
      added = { name: '', email: '', is_admin: false };
      void makeLink.run({ user, mail: false });
    },
  );
  const change = useChange((work: () => Promise<Schemas['UsersShape']>) => work(), taken);
  const endSessions = useChange((number: number) =>
    answerOf(api.DELETE('/api/users/{number}/sessions', { params: { path: { number } } })),
  );
  const problem = $derived(add.problem ?? makeLink.problem ?? change.problem ?? endSessions.problem);
  const at = (user: User) => ({ params: { path: { number: user.id } } });

  function allow(user: User, database: string, allowed: boolean): void {
    const params = { path: { number: user.id, database } };
    const where = '/api/users/{number}/databases/{database}';
    void change.run(() => answerOf(allowed ? api.PUT(where, { params }) : api.DELETE(where, { params })));
  }
</script>

<div class="mx-auto grid w-full max-w-4xl gap-6 pt-2 pb-8">
  <div>
    <h1 class="text-2xl">Accounts</h1>
    <p class="quiet">
      Who may sign in. What somebody may do is said in each book, under Members. An administrator sees no book
      by that alone.
    </p>
  </div>
  {#if users.error}
    <FailedNote problem={problemOf(users.error)} onagain={() => void users.refetch()} />
  {/if}
  {#if problem}<ProblemNote {problem} />{/if}
  {#if link}
    <p role="status">
      {#if link.address}
        Pass this link on to {link.name}: <code class="break-all select-all">{link.address}</code><br />
        <span class="quiet">It sets their password, once, within an hour.</span>
      {:else}
        A link was sent to {link.name}. It sets their password, once, within an hour.
      {/if}
    </p>
  {/if}
  <form
    class="flex flex-wrap items-end gap-3"
    onsubmit={(event) => {
      event.preventDefault();
      void add.run(undefined);
    }}
  >
    <label class="grid gap-1"
      >Name<input class="input input-sm w-48" required maxlength="120" bind:value={added.name} /></label
    >
    <label class="grid gap-1"
      >E-mail<input class="input input-sm w-56" type="email" bind:value={added.email} /></label
    >
    <label class="flex items-center gap-2 pb-1"
      ><input
        class="checkbox checkbox-sm"
        type="checkbox"
        bind:checked={added.is_admin}
      />administrator</label
    >
    <button class="btn btn-primary btn-sm" disabled={add.pending}>Make an account</button>
  </form>
  <ul class="grid gap-2">
    {#each users.data?.users ?? [] as user (user.id)}
      <li class="grid gap-1 border-t border-base-300 pt-2">
        <p>
          <strong>{user.name}</strong>
          <span class="quiet">
            {[
              user.email,
              user.is_admin && 'administrator',
              user.has_code && 'one-time codes',
              user.ended_at && `ended ${date(user.ended_at.slice(0, 10))}`,
            ]
              .filter(Boolean)
              .join(' · ')}
          </span>
        </p>
        {#if !user.ended_at}
          <p class="flex flex-wrap gap-x-4 text-sm">
            {#if ending === user.id}
              <span>End this account? Its sessions and tokens end; what it made stays.</span>
              <button
                class="word"
                onclick={() => {
                  ending = undefined;
                  void change.run(() => answerOf(api.DELETE('/api/users/{number}', at(user))));
                }}>end it</button
              >
              <button class="word" onclick={() => (ending = undefined)}>keep it</button>
            {:else}
              <button class="word" onclick={() => makeLink.run({ user, mail: false })}
                >link to set a password</button
              >
              {#if users.data?.mails && user.email}
                <button class="word" onclick={() => makeLink.run({ user, mail: true })}>mail the link</button>
              {/if}
              <button class="word" onclick={() => endSessions.run(user.id)}>end sessions</button>
              {#if user.has_code}
                <button
                  class="word"
                  onclick={() =>
                    change.run(() => answerOf(api.DELETE('/api/users/{number}/codes', at(user))))}
                  >take codes away</button
                >
              {/if}
              <button
                class="word"
                onclick={() =>
                  change.run(() =>
                    answerOf(
                      api.PATCH('/api/users/{number}', {
                        ...at(user),
                        body: { email: null, is_admin: !user.is_admin },
                      }),
                    ),
                  )}>{user.is_admin ? 'not an administrator any more' : 'make administrator'}</button
              >
              <button class="word" onclick={() => (ending = user.id)}>end the account</button>
            {/if}
            {#each users.data?.databases ?? [] as database (database)}
              <label class="flex items-center gap-1"
                ><input
                  class="checkbox checkbox-xs"
                  type="checkbox"
                  checked={user.databases.includes(database)}
                  onchange={(event) => allow(user, database, event.currentTarget.checked)}
                />may ask {database}</label
              >
            {/each}
          </p>
        {/if}
      </li>
    {/each}
  </ul>
  <div>
    <button class="btn btn-outline btn-sm" onclick={() => (isShowingLog = !isShowingLog)}
      >{isShowingLog ? 'Hide the log' : 'Who signed in, and what administrators did'}</button
    >
    {#if isShowingLog}<div class="h-[28rem]"><LogTable /></div>{/if}
  </div>
</div>
