<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf, takeSession, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date, moment } from '$lib/format/dates';
  import { me } from '$lib/me.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import OneTimeCodes from './OneTimeCodes.svelte';
  import { programOf } from './program';

  const client = useQueryClient();
  const sessions = createQuery(() => ({
    queryKey: ['own sessions'],
    queryFn: () => answerOf(api.GET('/api/account/sessions')),
  }));
  const tokens = createQuery(() => ({
    queryKey: ['own tokens'],
    queryFn: () => answerOf(api.GET('/api/account/tokens')),
  }));
  const known = createQuery(() => ({
    queryKey: ['books'],
    queryFn: () => answerOf(api.GET('/api/books')),
  }));
  const books = $derived(known.data?.books ?? []);
  const others = $derived(sessions.data?.sessions.filter((each) => !each.is_this) ?? []);
  const failed = $derived(sessions.error ?? tokens.error);

  const end = useChange(
    (number: number) =>
      answerOf(api.DELETE('/api/account/sessions/{number}', { params: { path: { number } } })),
    (now) => client.setQueryData(['own sessions'], now),
  );
  const endOthers = useChange(
    () => answerOf(api.DELETE('/api/account/sessions')),
    (now) => client.setQueryData(['own sessions'], now),
  );

  let present = $state('');
  let password = $state('');
  let isChanged = $state(false);
  const change = useChange(
    () => answerOf(api.PUT('/api/account/password', { body: { known: present, password } })),
    () => {
      present = password = '';
      isChanged = true;
    },
  );
  let proof = $state('');
  const withoutCodes = useChange(
    () => answerOf(api.POST('/api/account/no-codes', { body: { known: proof } })),
    () => void sessionAnew(),
  );
  async function sessionAnew(): Promise<void> {
    proof = '';
    takeSession(await answerOf(api.GET('/api/session')));
  }

  let token = $state<Schemas['TokenBody']>({ name: '', book: 0, role: 'reader', days: 30 });
  let made = $state('');
  const addToken = useChange(
    () =>
      answerOf(
        api.POST('/api/account/tokens', { body: { ...token, book: token.book || (books[0]?.id ?? 0) } }),
      ),
    (now) => {
      made = now.token;
      token.name = '';
      client.setQueryData(['own tokens'], { tokens: now.tokens });
    },
  );
  const endToken = useChange(
    (number: number) =>
      answerOf(api.DELETE('/api/account/tokens/{number}', { params: { path: { number } } })),
    (now) => client.setQueryData(['own tokens'], now),
  );
  const endProblem = $derived(end.problem ?? endOthers.problem);
  const tokenProblem = $derived(addToken.problem ?? endToken.problem);
</script>

<div class="mx-auto grid w-full max-w-3xl gap-8 pt-2 pb-8">
  <h1 class="text-2xl">{me.name}</h1>
  {#if failed}<FailedNote problem={problemOf(failed)} onagain={() => void client.invalidateQueries()} />{/if}

  <section class="grid gap-2">
    <h2 class="text-xl">Signed in</h2>
    {#if endProblem}<ProblemNote problem={endProblem} />{/if}
    <ul class="grid gap-1">
      {#each sessions.data?.sessions ?? [] as each (each.id)}
        <li class="flex flex-wrap justify-between gap-x-4">
          <span>
            {programOf(each.program)}, {each.came_from}
            <span class="quiet">since {moment(each.begun_at)}, last used {moment(each.used_at)}</span>
          </span>
          {#if each.is_this}<strong>here</strong>{:else}
            <button class="word" disabled={end.pending} onclick={() => end.run(each.id)}>end it</button>
          {/if}
        </li>
      {/each}
    </ul>
    {#if others.length > 1}
      <button
        class="btn btn-outline btn-sm justify-self-start"
        disabled={endOthers.pending}
        onclick={() => endOthers.run(undefined)}>End all others</button
      >
    {/if}
  </section>

  <section class="grid gap-2">
    <h2 class="text-xl">Password</h2>
    <form
      class="grid items-end gap-3 sm:grid-cols-[1fr_1fr_auto]"
      onsubmit={(event) => {
        event.preventDefault();
        isChanged = false;
        void change.run(undefined);
      }}
    >
      <label class="grid gap-1"
        >The one you have<input
          class="input input-sm w-full"
          type="password"
          autocomplete="current-password"
          required
          bind:value={present}
        /></label
      >
      <label class="grid gap-1"
        >New password<input
          class="input input-sm w-full"
          type="password"
          autocomplete="new-password"
          minlength="12"
          required
          bind:value={password}
        /></label
      >
      <button class="btn btn-outline btn-sm" disabled={change.pending}>Change password</button>
    </form>
    {#if change.problem}<ProblemNote problem={change.problem} />{/if}
    {#if isChanged}<p role="status">Your password is changed. All other sessions have ended.</p>{/if}
  </section>

  <section class="grid gap-2">
    <h2 class="text-xl">One-time codes</h2>
    {#if me.session?.person?.has_code}
      <p>You sign in with a one-time code as well as your password.</p>
      <form
        class="flex flex-wrap items-end gap-3"
        onsubmit={(event) => {
          event.preventDefault();
          void withoutCodes.run(undefined);
        }}
      >
        <label class="grid gap-1"
          >Your password<input
            class="input input-sm"
            type="password"
            autocomplete="current-password"
            required
            bind:value={proof}
          /></label
        >
        <button class="btn btn-outline btn-sm" disabled={withoutCodes.pending}>Sign in without codes</button>
      </form>
      {#if withoutCodes.problem}<ProblemNote problem={withoutCodes.problem} />{/if}
    {:else}
      <p class="quiet">A code of an app beside the password keeps out whoever learns the password.</p>
      <OneTimeCodes onset={() => void sessionAnew()} />
    {/if}
  </section>

  <section class="grid gap-2">
    <h2 class="text-xl">Tokens for programs</h2>
    <p class="quiet">
      A program signs in with a token: for one book, with a role not above yours, until a date.
    </p>
    {#if made}
      <p>
        <code class="break-all select-all">{made}</code><br />
        <span class="quiet">Keep it now: it is not shown again.</span>
      </p>
    {/if}
    <ul class="grid gap-1">
      {#each tokens.data?.tokens ?? [] as each (each.id)}
        <li class="flex flex-wrap justify-between gap-x-4">
          <span
            >{each.name}: {each.role} of {each.book_name}
            <span class="quiet"
              >until {date(each.ends_at.slice(0, 10))}, {each.used_at
                ? `last used ${moment(each.used_at)}`
                : 'never used'}</span
            ></span
          >
          <button class="word" disabled={endToken.pending} onclick={() => endToken.run(each.id)}
            >end it</button
          >
        </li>
      {/each}
    </ul>
    {#if books.length > 0}
      <form
        class="flex flex-wrap items-end gap-3"
        onsubmit={(event) => {
          event.preventDefault();
          void addToken.run(undefined);
        }}
      >
        <label class="grid gap-1"
          >What it is for<input
            class="input input-sm w-44"
            required
            maxlength="120"
            bind:value={token.name}
          /></label
        >
        <label class="grid gap-1"
          >Book<select class="select select-sm w-44" bind:value={token.book}>
            {#each books as book, at (book.id)}<option value={at === 0 ? 0 : book.id}>{book.name}</option
              >{/each}
          </select></label
        >
        <label class="grid gap-1"
          >Role<select class="select select-sm w-28" bind:value={token.role}>
            {#each ['reader', 'caller', 'analyst', 'owner'] as role (role)}<option>{role}</option>{/each}
          </select></label
        >
        <label class="grid gap-1"
          >Days<input
            class="input input-sm w-20"
            type="number"
            min="1"
            max="366"
            bind:value={token.days}
          /></label
        >
        <button class="btn btn-outline btn-sm" disabled={addToken.pending}>Make a token</button>
      </form>
    {/if}
    {#if tokenProblem}<ProblemNote problem={tokenProblem} />{/if}
  </section>
</div>
