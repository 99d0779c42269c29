<script lang="ts">
  import { answerOf, api, problemOf } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import { useChange } from '$lib/change.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  /** Behind the mark of the address, which no server sees. */
  const link = location.hash.slice(1);
  const owner = answerOf(api.POST('/api/password-link', { body: { link } }));
  let password = $state('');
  let isSet = $state(false);
  const change = useChange(
    () => answerOf(api.POST('/api/password', { body: { link, password } })),
    () => {
      isSet = true;
      history.replaceState(null, '', location.pathname);
    },
  );
</script>

<div class="mx-auto mt-[10vh] grid w-full max-w-sm gap-4">
  {#await owner}
    <p class="quiet" role="status">Opening the link…</p>
  {:then { name }}
    <h1 class="text-2xl">Set your password, {name}</h1>
    {#if isSet}
      <p>Your password is set.</p>
      <button class="btn btn-primary justify-self-start" onclick={() => address.visitPage('/')}
        >Sign in</button
      >
    {:else}
      <p class="quiet">
        Twelve characters at least, and no common ones. Four words that do not belong together make a good
        one.
      </p>
      <form
        class="grid gap-4"
        onsubmit={(event) => {
          event.preventDefault();
          void change.run(undefined);
        }}
      >
        <input
          class="sr-only"
          autocomplete="username"
          value={name}
          readonly
          aria-label="Name"
          tabindex="-1"
        />
        <label class="grid gap-1">
          New password
          <input
            class="input w-full"
            type="password"
            autocomplete="new-password"
            minlength="12"
            required
            bind:value={password}
          />
        </label>
        {#if change.problem}<ProblemNote problem={change.problem} />{/if}
        <button class="btn btn-primary justify-self-start" disabled={change.pending}>Set password</button>
      </form>
    {/if}
  {:catch error}
    <ProblemNote problem={problemOf(error)} />
  {/await}
</div>
