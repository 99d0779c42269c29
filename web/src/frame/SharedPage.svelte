<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, answerOf, problemOf, Refusal } from '$lib/api/client';
  import { date, moment } from '$lib/format/dates';
  import { outside } from '$lib/outside.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import Guarded from '$src/notes/Guarded.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import SharedView from './SharedView.svelte';
  import ThemeSwitch from './ThemeSwitch.svelte';
  import type { Stop } from './stop';

  /** What somebody outside sees by a link: one view, who shows it, and until when. */
  let { link, stops }: { link: number; stops: readonly Stop[] } = $props();
  const NEEDED = 'urn:goldthread:PassphraseNeeded';
  let passphrase = $state('');
  let tries = $state(0);

  const opened = createQuery(() => ({
    queryKey: ['shared', link, tries],
    queryFn: async () => {
      const params = { path: { link } };
      const told = await answerOf(api.GET('/api/shared/{link}', { params, headers: outside.headers }));
      outside.question = told.question;
      if (!address.query.size) address.stand(new URLSearchParams(told.query));
      return told;
    },
    // each time that it is asked counts as one that it was opened
    staleTime: Infinity,
  }));
  const shared = $derived(opened.data);
  const stop = $derived(stops.find((each) => each.name === shared?.stop));
  const problem = $derived(opened.error ? problemOf(opened.error) : undefined);
  const isLocked = $derived(opened.error instanceof Refusal && opened.error.problem.type === NEEDED);
  const who = $derived(shared?.made_by ?? '');

  function unlock(event: SubmitEvent): void {
    event.preventDefault();
    outside.passphrase = passphrase;
    tries += 1;
  }
</script>

<svelte:head>
  <title>{shared ? `${shared.name}, ${shared.book.name}: ` : ''}Gold Thread</title>
</svelte:head>
<div class="mx-auto flex min-h-full max-w-[1720px] flex-col px-3 pb-3 desk:h-full desk:px-7 print:h-auto">
  <header class="flex shrink-0 flex-wrap items-baseline justify-between gap-x-4 py-2">
    <p class="font-serif text-[1.2rem] font-semibold">{shared?.book.name ?? 'Gold Thread'}</p>
    <ThemeSwitch />
  </header>
  <main class="flex min-h-0 flex-1 flex-col outline-none" tabindex="-1">
    {#if isLocked || (passphrase && !shared && opened.isFetching)}
      <form class="mx-auto mt-[10vh] grid w-full max-w-sm gap-4" onsubmit={unlock}>
        <h1 class="text-2xl">This link has a passphrase</h1>
        <p class="quiet">Whoever gave you the link knows it.</p>
        <label class="grid gap-1"
          >Passphrase
          <input
            class="input w-full"
            type="password"
            autocomplete="off"
            required
            maxlength="256"
            bind:value={passphrase}
          /></label
        >
        {#if problem && outside.passphrase}<ProblemNote {problem} />{/if}
        <button class="btn btn-primary justify-self-start" disabled={opened.isFetching}>Open</button>
      </form>
    {:else if problem}
      <FailedNote {problem} onagain={() => void opened.refetch()} />
    {:else if shared?.stop === 'briefs'}
      {#await import('$src/briefs/SharedBrief.svelte') then { default: SharedBrief }}
        <Guarded><SharedBrief {shared} /></Guarded>
      {/await}
    {:else if shared && stop}
      <Guarded><SharedView {shared} {stop} /></Guarded>
    {:else}
      <p class="quiet mt-6" role="status">Opening the link…</p>
    {/if}
  </main>
  {#if shared}
    <footer class="quiet flex shrink-0 flex-wrap justify-between gap-x-4 pt-2 text-sm">
      <p>
        {shared.is_frozen ? `As it was on ${moment(shared.made_at)}.` : 'As it stands now.'}
        {who ? `Shared by ${who}` : 'Shared'}; this link holds until {date(shared.last_day)}.
      </p>
      <p>Made with Gold Thread</p>
    </footer>
  {/if}
</div>
