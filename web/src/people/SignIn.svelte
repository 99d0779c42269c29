<script lang="ts">
  import { answerOf, api, takeSession } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { me } from '$lib/me.svelte';
  import { ROOT } from '$lib/root';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import OneTimeCodes from './OneTimeCodes.svelte';

  let name = $state(me.name);
  let password = $state('');
  let code = $state('');
  let email = $state('');
  const isFirst = $derived(me.session?.wants_first_account ?? false);
  const needsCode = $derived(me.session?.needs_code ?? false);
  const wantsCode = $derived(me.session?.person?.wants_code ?? false);

  const signIn = useChange(
    () => answerOf(api.POST('/api/sign-in', { body: { name, password } })),
    (session) => {
      password = '';
      takeSession(session);
    },
  );
  const giveCode = useChange(() => answerOf(api.POST('/api/sign-in/code', { body: { code } })), takeSession);
  const begin = useChange(
    () => answerOf(api.POST('/api/first-account', { body: { name, password, code, email } })),
    takeSession,
  );
  let isAsked = $state(false);
  const forgotten = useChange(
    () => answerOf(api.POST('/api/password-link/mail', { body: { name } })),
    () => (isAsked = true),
  );
  const change = $derived(isFirst ? begin : needsCode ? giveCode : signIn);
</script>

<div
  class="fixed inset-0 z-50 overflow-y-auto bg-base-200 p-4"
  role="dialog"
  aria-modal="true"
  aria-label="Sign in"
>
  <form
    class="mx-auto mt-[12vh] grid w-full max-w-sm gap-4"
    onsubmit={(event) => {
      event.preventDefault();
      void change.run(undefined);
    }}
  >
    <p class="font-serif text-2xl font-semibold">Gold Thread</p>
    {#if wantsCode}
      <h1 class="text-xl">Set up one-time codes</h1>
      <p class="quiet">Everybody here signs in with a one-time code as well as a password.</p>
      <OneTimeCodes onset={async () => takeSession(await answerOf(api.GET('/api/session')))} />
    {:else if needsCode}
      <h1 class="text-xl">One-time code</h1>
      <p class="quiet">Give the code that your app shows now, or one of your recovery codes.</p>
      {@render field(
        'Code',
        'one-time-code',
        'text',
        () => code,
        (now) => (code = now),
      )}
      {@render rest('Go on')}
    {:else}
      <h1 class="text-xl">{isFirst ? 'Make the first account' : me.name ? 'Sign in again' : 'Sign in'}</h1>
      {#if isFirst}
        <p class="quiet">
          It administers this installation and owns the books that are there. The code stands in the file
          <code>first-account</code> in the server's folder of running data.
        </p>
        {@render field(
          'Code of this server',
          'off',
          'text',
          () => code,
          (now) => (code = now),
        )}
      {:else if me.name}
        <p class="quiet">Your session has ended. What you typed is still here.</p>
      {/if}
      {@render field(
        'Name',
        'username',
        'text',
        () => name,
        (now) => (name = now),
      )}
      {#if isFirst}
        {@render field(
          'E-mail (may stay blank)',
          'email',
          'email',
          () => email,
          (now) => (email = now),
        )}
      {/if}
      {@render field(
        'Password',
        isFirst ? 'new-password' : 'current-password',
        'password',
        () => password,
        (now) => (password = now),
      )}
      {@render rest(isFirst ? 'Make the account' : 'Sign in')}
      {#if !isFirst && me.session?.mails}
        {#if isAsked}
          <p role="status">If there is such an account and it has an address, a link is on its way to it.</p>
        {:else}
          <p>
            <button
              type="button"
              class="word"
              disabled={forgotten.pending || !name.trim()}
              onclick={() => forgotten.run(undefined)}>mail me a link to set my password</button
            >
          </p>
        {/if}
        {#if forgotten.problem}<ProblemNote problem={forgotten.problem} />{/if}
      {/if}
      {#if !isFirst && me.session?.company}
        <p>or <a class="word" href="{ROOT}/api/sign-in/company">sign in with {me.session.company}</a></p>
      {/if}
    {/if}
  </form>
</div>

{#snippet field(
  label: string,
  autocomplete: AutoFill,
  type: 'text' | 'password' | 'email',
  get: () => string,
  set: (now: string) => void,
)}
  <label class="grid gap-1">
    {label}
    <input class="input w-full" {type} {autocomplete} required={type !== 'email'} bind:value={get, set} />
  </label>
{/snippet}

{#snippet rest(does: string)}
  {#if change.problem}<ProblemNote problem={change.problem} />{/if}
  <button class="btn btn-primary justify-self-start" disabled={change.pending}>{does}</button>
{/snippet}
