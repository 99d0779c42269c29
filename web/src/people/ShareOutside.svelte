<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date, dayNumber, isoOf, moment, todayIn } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import DateInput from '$src/menus/DateInput.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  /** Links by which somebody outside sees the view that is shown: made, listed and ended by owners of the book. */
  let { book, words }: { book: Schemas['BookShape']; words: string } = $props();
  const id = $props.id();
  const NAME_MOST = 120;
  const USUAL_DAYS = 30;
  const client = useQueryClient();
  const path = $derived({ book: book.id });
  const key = $derived(['links', book.id]);
  const usual = { frozen: false, opens_figures: false, shows_people: false, passphrase: '' };
  let name = $state('');
  let wanted = $state({ ...usual });
  let until = $state('');
  let made = $state('');
  let told = $state('');
  let isOpen = $state(false);
  const today = $derived(todayIn(book.time_zone));
  const usually = $derived(isoOf(dayNumber(today) + USUAL_DAYS));
  const links = createQuery(() => ({
    queryKey: key,
    queryFn: () => answerOf(api.GET('/api/books/{book}/links', { params: { path } })),
    enabled: isOpen,
  }));
  const add = useChange(
    (body: Schemas['ShareBody']) => answerOf(api.POST('/api/books/{book}/links', { params: { path }, body })),
    ({ address, links }) => {
      client.setQueryData(key, { links });
      made = address;
      told = '';
      [wanted, name] = [{ ...usual }, ''];
    },
  );
  const end = useChange(
    (link: number) =>
      answerOf(api.DELETE('/api/books/{book}/links/{link}', { params: { path: { ...path, link } } })),
    (now) => client.setQueryData(key, now),
  );
  const problem = $derived(add.problem ?? end.problem);

  function share(event: SubmitEvent): void {
    event.preventDefault();
    const query = new URLSearchParams(address.query);
    for (const beside of ['open', 'help']) query.delete(beside);
    const view = { stop: address.stop ?? '', query: query.toString() };
    const called = name.trim() || words.slice(0, NAME_MOST);
    void add.run({
      ...wanted,
      ...view,
      name: called,
      until: until || usually,
      opens_figures: wanted.opens_figures && !wanted.frozen,
    });
  }

  async function copy(): Promise<void> {
    try {
      await navigator.clipboard.writeText(made);
      told = 'copied';
    } catch {
      told = 'not allowed here: select it and copy it by hand';
    }
  }

  const how = (link: Schemas['LinkShape']) =>
    [
      link.is_frozen ? `as it was on ${moment(link.made_at)}` : 'as it stands when opened',
      link.opens_figures ? 'figures can be opened' : '',
      link.shows_people ? 'with names of customers' : '',
      link.has_passphrase ? 'with a passphrase' : '',
    ]
      .filter(Boolean)
      .join(', ');
  const isOfThisMachine = (made: string) => /^(127\.|localhost$|\[::1\])/.test(new URL(made).hostname);
  const opens = () => {
    isOpen = true;
  };
</script>

{#snippet panel()}
  <div class="grid w-[28rem] max-w-full gap-3" {@attach opens}>
    <form class="grid gap-3" onsubmit={share}>
      <p class="quiet text-sm">
        Whoever has the link sees this view without an account, and nothing else of the book.
      </p>
      <label class="grid gap-1 text-sm"
        >Name<input
          class="input input-sm w-full"
          maxlength={NAME_MOST}
          placeholder={words}
          bind:value={name}
        /></label
      >
      <div class="flex flex-wrap gap-x-4 gap-y-3">
        <div class="grid gap-1 text-sm">
          <label for="{id}-until">It ends after</label><DateInput
            id="{id}-until"
            look="input-sm w-28"
            bind:value={() => until || usually, (value) => (until = value)}
            required
          />
        </div>
        <label class="grid min-w-40 flex-1 content-start gap-1 text-sm"
          >Passphrase, if wanted<input
            class="input input-sm w-full"
            autocomplete="off"
            minlength="8"
            maxlength="256"
            bind:value={wanted.passphrase}
          /></label
        >
      </div>
      <fieldset class="grid gap-1 text-sm">
        <legend class="sr-only">What it shows</legend>
        {#each [{ frozen: false, label: 'The figures as they stand whenever it is opened' }, { frozen: true, label: 'The figures as they are now' }] as way (way.label)}
          <label class="flex items-center gap-2"
            ><input
              type="radio"
              class="radio radio-sm"
              name="frozen"
              checked={wanted.frozen === way.frozen}
              onchange={() => (wanted.frozen = way.frozen)}
            />{way.label}</label
          >
        {/each}
      </fieldset>
      <div class="grid gap-1 text-sm">
        <label class="flex items-center gap-2" class:quiet={wanted.frozen}
          ><input
            type="checkbox"
            class="checkbox checkbox-sm"
            disabled={wanted.frozen}
            bind:checked={() => wanted.opens_figures && !wanted.frozen, (on) => (wanted.opens_figures = on)}
          />Figures can be opened: who and which orders stand behind them</label
        >
        <label class="flex items-center gap-2"
          ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={wanted.shows_people} />Customers
          are shown by name; otherwise by number alone</label
        >
      </div>
      <button class="btn btn-primary btn-sm justify-self-start" disabled={add.pending}>Make link</button>
    </form>
    {#if problem}<ProblemNote {problem} />{/if}
    {#if made}
      <div class="grid gap-1 border-l-2 border-primary pl-2 text-sm" role="status">
        <p>The link is made. Its address is not shown again.</p>
        <p class="flex gap-2">
          <input
            class="input input-sm min-w-0 flex-1"
            aria-label="Address of the link"
            readonly
            value={made}
          />
          <button type="button" class="btn btn-sm" onclick={copy}>Copy</button>
        </p>
        {#if told}<p class="quiet">{told}</p>{/if}
        {#if isOfThisMachine(made)}
          <p class="quiet">
            Only this machine reaches it: whoever runs Gold Thread can give it a public address.
          </p>
        {/if}
      </div>
    {/if}
    {#if links.error}<ProblemNote problem={problemOf(links.error)} />{/if}
    {#if links.data?.links.length}
      <ul class="grid max-h-56 gap-2 overflow-y-auto text-sm" aria-label="Links for people outside">
        {#each links.data.links as link (link.id)}
          <li class="border-t border-base-300 pt-2">
            <p class="flex items-baseline justify-between gap-3">
              <strong class="min-w-0">{link.name}</strong>
              <button class="word shrink-0" disabled={end.pending} onclick={() => end.run(link.id)}
                >end it</button
              >
            </p>
            <p class="quiet">
              Ends after {date(link.last_day)}; {how(link)}.
              {link.made_by ? `Made by ${link.made_by}.` : ''}
              {link.opened_at
                ? `Opened ${counted(link.opened, 'time')}, last ${moment(link.opened_at)}.`
                : 'Not opened yet.'}
            </p>
          </li>
        {/each}
      </ul>
    {/if}
  </div>
{/snippet}

<span class="not-printed"><WordPanel text="share outside" title="Share outside" {panel} /></span>
