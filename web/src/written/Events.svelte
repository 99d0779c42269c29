<script lang="ts">
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date, isoOf, dayNumber } from '$lib/format/dates';
  import { me } from '$lib/me.svelte';
  import DateInput from '$src/menus/DateInput.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  type Event = Schemas['EventShape'];
  /** The events of a chart over time: which there are, and one more typed in; those that were typed are edited here. */
  let { book, events }: { book: number; events: Event[] } = $props();
  const none = { label: '', begins: '', until: '' };
  let typed = $state({ ...none });
  let instead = $state<number | null>(null);
  let panelled = $state<WordPanel>();
  const path = $derived({ book });

  const put = useChange((body: Schemas['EventIn']) =>
    answerOf(api.POST('/api/books/{book}/events', { params: { path }, body })),
  );
  const remove = useChange((event: number) =>
    answerOf(api.DELETE('/api/books/{book}/events/{event}', { params: { path: { book, event } } })),
  );

  /** Begin one in a period, from its first day to the day before another: its days are filled in. */
  export function begin([begins, after]: [string, string]): void {
    instead = null;
    typed = { label: '', begins, until: isoOf(dayNumber(after) - 1) };
    panelled?.show();
  }

  function edit(event: Event): void {
    instead = event.by_hand;
    typed = { label: event.label, begins: event.begins, until: event.ends };
  }

  async function save(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (!(await put.run({ ...typed, instead }))) return;
    typed = { ...none };
    instead = null;
  }

  const days = ({ begins, ends }: Event) =>
    begins === ends ? date(begins) : `${date(begins)} to ${date(ends)}`;
</script>

{#snippet panel(close: () => void)}
  <div class="grid w-96 max-w-full gap-3 text-sm">
    <form class="grid gap-2" onsubmit={save}>
      <label class="grid gap-1"
        >{instead === null ? 'What was it' : 'What it was'}<input
          class="input input-sm w-full"
          placeholder="a campaign, a price change, closed days"
          maxlength="255"
          required
          bind:value={typed.label}
        /></label
      >
      <div class="flex flex-wrap gap-3">
        <span class="grid gap-1"
          >From<DateInput label="From" look="input-sm w-32" required bind:value={typed.begins} /></span
        >
        <span class="grid gap-1"
          >To<DateInput label="To" look="input-sm w-32" bind:value={typed.until} /></span
        >
      </div>
      {#if put.problem}<ProblemNote problem={put.problem} />{/if}
      <p class="flex items-center gap-4">
        <button class="btn btn-primary btn-sm" disabled={put.pending}
          >{instead === null ? 'Add event' : 'Save event'}</button
        >
        <button type="button" class="word" onclick={close}>close</button>
      </p>
    </form>
    {#if remove.problem}<ProblemNote problem={remove.problem} />{/if}
    <ul class="grid max-h-60 gap-1 overflow-y-auto">
      {#each events as event, at (at)}
        <li class="flex flex-wrap items-baseline gap-x-3 border-t border-base-300 pt-1">
          <span class="font-semibold">{event.label}</span>
          <span class="quiet">{days(event)}{event.by_hand === null ? ', imported' : ''}</span>
          {#if event.by_hand !== null}
            <button class="word ml-auto" onclick={() => edit(event)}>edit</button>
            <button class="word" disabled={remove.pending} onclick={() => remove.run(event.by_hand ?? 0)}
              >remove</button
            >
          {/if}
        </li>
      {/each}
    </ul>
  </div>
{/snippet}

{#if me.may('import and correct')}
  <span class="inline-flex items-baseline gap-1"
    ><span class="font-bold text-accent" aria-hidden="true">◦</span><WordPanel
      bind:this={panelled}
      text="events"
      title="On the time axis"
      {panel}
    /></span
  >
{:else if events.length}
  <span class="quiet"><span class="font-bold text-accent" aria-hidden="true">◦</span> an event</span>
{/if}
