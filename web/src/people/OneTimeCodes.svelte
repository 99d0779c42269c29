<script lang="ts">
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  /** Called once the codes are in use and the recovery codes were seen. */
  let { onset }: { onset: () => void } = $props();
  let begun = $state.raw<Schemas['NewCodeShape']>();
  let code = $state('');
  let known = $state('');
  let recovery = $state.raw<string[]>([]);

  const begin = useChange(
    () => answerOf(api.POST('/api/account/codes')),
    (secret) => (begun = secret),
  );
  const use = useChange(
    () => answerOf(api.PUT('/api/account/codes', { body: { secret: begun?.secret ?? '', code, known } })),
    (made) => (recovery = made.codes),
  );
  const problem = $derived(begin.problem ?? use.problem);
</script>

<div class="grid gap-3">
  {#if recovery.length > 0}
    <p>
      Keep these recovery codes where you find them without your app. Each works once in place of a code. They
      are not shown again.
    </p>
    <ul class="grid grid-cols-2 gap-x-6 font-mono">
      {#each recovery as each (each)}<li>{each}</li>{/each}
    </ul>
    <button type="button" class="btn btn-primary justify-self-start" onclick={onset}>I have kept them</button>
  {:else if begun}
    <p>
      Give this key to your app of codes: <code class="break-all select-all">{begun.secret}</code>
      or <a class="word" href={begun.address}>open it in an app on this device</a>.
    </p>
    <label class="grid gap-1">
      The code that it shows now
      <input class="input w-full" autocomplete="one-time-code" inputmode="numeric" bind:value={code} />
    </label>
    <label class="grid gap-1">
      Your password
      <input class="input w-full" type="password" autocomplete="current-password" bind:value={known} />
    </label>
    <button
      type="button"
      class="btn btn-primary justify-self-start"
      disabled={use.pending || !code || !known}
      onclick={() => use.run(undefined)}>Use these codes</button
    >
  {:else}
    <button
      type="button"
      class="btn btn-outline justify-self-start"
      disabled={begin.pending}
      onclick={() => begin.run(undefined)}>Set up one-time codes</button
    >
  {/if}
  {#if problem}<ProblemNote {problem} />{/if}
</div>
