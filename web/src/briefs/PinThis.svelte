<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { me } from '$lib/me.svelte';
  import { searchOf } from '$lib/search';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import FindingForm from './FindingForm.svelte';

  interface Props {
    book: number;
    /** One figure of the view that is open, as its evidence takes it; the whole view without. */
    figure?: object;
  }
  let { book, figure }: Props = $props();
  const NEW = 0;
  const LEFT_OUT = ['open', 'help', 'customer', 'as'];
  let chosen = $state<number>();
  let name = $state('');
  let pinnedTo = $state<Schemas['BriefShape']>();
  let isOpen = $state(false);
  const briefs = createQuery(() => ({
    queryKey: ['briefs', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/briefs', { params: { path: { book } } })),
    enabled: isOpen,
  }));
  const opens = () => {
    isOpen = true;
  };
  const known = $derived(briefs.data?.briefs ?? []);
  const into = $derived(chosen ?? known[0]?.id ?? NEW);

  function asked(): Schemas['PinnedIn'] {
    const query = new URLSearchParams(address.query);
    for (const each of LEFT_OUT) query.delete(each);
    return {
      stop: address.stop as Schemas['PinnedIn']['stop'],
      query: query.toString(),
      figure: figure ? searchOf(figure) : '',
    };
  }

  const pin = useChange(
    async (written: Schemas['Written']) => {
      const path = { book };
      if (into === NEW)
        chosen = (await answerOf(api.POST('/api/books/{book}/briefs', { params: { path }, body: { name } })))
          .id;
      return answerOf(
        api.POST('/api/books/{book}/briefs/{brief}/findings', {
          params: { path: { book, brief: into } },
          body: { ...written, pinned: asked() },
        }),
      );
    },
    (brief) => (pinnedTo = brief),
  );
  const there = (brief: Schemas['BriefShape']) => new URLSearchParams({ brief: String(brief.id) });
</script>

{#snippet panel(close: () => void)}
  <div class="grid w-96 max-w-full gap-3" {@attach opens}>
    {#if pinnedTo}
      {@const to = pinnedTo}
      <p role="status">
        It is pinned in <a
          class="word"
          href={addressOf(book, 'briefs', there(to))}
          onclick={(event) => followed(event, () => address.visit(book, 'briefs', there(to)))}>{to.name}</a
        >.
      </p>
      <p class="flex gap-4 text-sm">
        <button class="word" onclick={() => (pinnedTo = undefined)}>pin it once more</button>
        <button class="word" onclick={close}>close</button>
      </p>
    {:else}
      <label class="grid gap-1 text-sm"
        >Brief<select class="select select-sm w-full" bind:value={() => into, (value) => (chosen = value)}>
          {#each known as brief (brief.id)}<option value={brief.id}>{brief.name}</option>{/each}
          <option value={NEW}>a new one</option>
        </select></label
      >
      {#if into === NEW}
        <label class="grid gap-1 text-sm"
          >Its name<input class="input input-sm w-full" maxlength="120" required bind:value={name} /></label
        >
      {/if}
      <FindingForm
        from={{ heading: '', words: '', live: true }}
        pinned
        change={pin}
        words="Pin it"
        onclose={() => {
          if (!pinnedTo) close();
        }}
      />
    {/if}
  </div>
{/snippet}

{#if me.may('keep lists and views')}
  <span class="not-printed"
    ><WordPanel
      text="pin this"
      title={figure ? 'Pin this figure in a brief' : 'Pin this view in a brief'}
      {panel}
    /></span
  >
{/if}
