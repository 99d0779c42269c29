<script lang="ts">
  import { me } from '$lib/me.svelte';
  import { tick } from 'svelte';
  import { address } from '$lib/address.svelte';
  import { date } from '$lib/format/dates';
  import { counted, decimal, money } from '$lib/format/figures';
  import { trimmed } from '$lib/format/cells';
  import type { Problem } from '$lib/api/client';
  import DateInput from '$src/menus/DateInput.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import { becameWords, entryWords, type Member } from '../members';
  import { hand, type Draft } from './hand.svelte';
  import type { Done } from './working.svelte';

  interface Props {
    book: number;
    list: number;
    member: Member;
    currency: string;
    pending: boolean;
    problem: Problem | undefined;
    /** What can be taken back. */
    undoable: boolean;
    /** Put down what was done; gives whether it was. */
    onwork: (done: Done, goOn: boolean) => Promise<boolean>;
    onundo: () => void;
    onclose: () => void;
  }
  let { book, list, member, currency, pending, problem, undoable, onwork, onundo, onclose }: Props = $props();

  const CHANNELS = ['phone', 'e-mail', 'letter', 'visit'];
  const MOST_NOTE = 2_000;
  const row = $derived(member.row);
  const entry = $derived(member.entry);
  const customer = $derived(member.thread.customer);
  const warning = $derived(
    [
      row.closed && 'Closed.',
      row.do_not_contact && 'Not to be contacted.',
      entry.held_back && 'In the control group: a contact would spoil the comparison.',
    ]
      .filter(Boolean)
      .join(' '),
  );
  /** What is typed stays as it is, whatever comes from elsewhere, until it is saved. */
  const draft = $derived(hand.draft(list, customer));
  const note = $derived(draft.note ?? entry.note);
  const channel = $derived(draft.channel ?? (entry.channel || 'phone'));
  const callOn = $derived(draft.callOn ?? entry.call_on ?? '');
  const typed = $derived(note.trim() === entry.note ? {} : { note: note.trim() });
  let noteField = $state<HTMLTextAreaElement>();

  const type = (more: Draft) => hand.keep(list, customer, { ...draft, ...more });

  /** Put something down; what was typed for it is saved with it, and typed no more. */
  async function put(done: Done, goOn: boolean): Promise<void> {
    const [of, was] = [customer, draft];
    const saved = [
      'note' in done && 'note',
      'channel' in done && 'channel',
      ('call_on' in done || 'no_call' in done) && 'callOn',
    ];
    if (!(await onwork(done, goOn))) return;
    const now = hand.draft(list, of);
    const left = Object.entries(now).filter(
      ([name, value]) => !saved.includes(name as keyof Draft) || value !== was[name as keyof Draft],
    );
    hand.keep(list, of, Object.fromEntries(left));
  }
  // the panel of the next member is this one, so that the focus stays where it was; a button that went leaves it here
  let section = $state<HTMLElement>();
  $effect(() => {
    void customer;
    void entry.state;
    void tick().then(() => {
      if (hadFocus && document.activeElement === document.body) section?.focus({ preventScroll: true });
    });
  });
  let hadFocus = false;

  const contacted = () => put({ ...typed, state: 'contacted', channel }, true);
  const leftOut = () => put({ ...typed, state: 'left_out' }, true);
  const later = () => put(callOn ? { ...typed, call_on: callOn } : { ...typed, no_call: true }, true);

  $effect(() => {
    const ends = [
      hand.keys.on('c', () => void contacted()),
      hand.keys.on('x', () => void leftOut()),
      hand.keys.on('n', () => noteField?.focus()),
    ];
    return () => ends.forEach((end) => end());
  });
</script>

<!-- keys act here as they do in the rows -->
<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<section
  bind:this={section}
  aria-label="Selected customer"
  class="grid gap-2 outline-none"
  tabindex="-1"
  onkeydown={(event) => hand.keys.pressed(event)}
  onfocusin={() => (hadFocus = true)}
  onfocusout={(event) => (hadFocus = event.relatedTarget === null)}
>
  <h2 dir="auto" class="text-xl">{member.thread.name || member.thread.key}</h2>
  <p class="text-sm">
    {[row.contact.town, member.thread.key].filter(Boolean).join(' · ')}
    {#if row.contact.phone}<br /><a class="word" href="tel:{row.contact.phone}">{row.contact.phone}</a>{/if}
    {#if row.contact.email}<br /><a class="word" href="mailto:{row.contact.email}">{row.contact.email}</a
      >{/if}
  </p>
  {#if warning}<p class="text-sm font-semibold text-error">{warning}</p>{/if}
  <dl class="grid grid-cols-[1fr_auto] gap-x-3 text-sm">
    <dt class="quiet">{counted(member.thread.orders, 'order')}</dt>
    <dd class="font-semibold">{money(row.revenue)} {currency}</dd>
    {#if row.latest_date}
      <dt class="quiet">latest order</dt>
      <dd class="font-semibold">{date(row.latest_date)}</dd>
      <dt class="quiet">usually every</dt>
      <dd class="font-semibold">
        {row.expected_gap === null
          ? '—'
          : `${trimmed(row.expected_gap)} days${row.own_gap ? '' : ' (everybody)'}`}
      </dd>
      <dt class="quiet">silent for</dt>
      <dd class="font-semibold">
        {counted(row.days_since ?? 0, 'day')}{row.times_late === null
          ? ''
          : `, ${decimal(row.times_late)} times that`}
      </dd>
    {:else}
      <dt class="quiet">latest order</dt>
      <dd class="font-semibold">never ordered</dd>
    {/if}
    <dt class="quiet">ordered again</dt>
    <dd class="font-semibold">{becameWords(member)}</dd>
  </dl>
  {#if me.may('work lists')}
    <label class="grid gap-1 text-sm">
      Note
      <textarea
        bind:this={noteField}
        bind:value={() => note, (typed) => type({ note: typed })}
        class="textarea textarea-sm w-full"
        rows="3"
        maxlength={MOST_NOTE}
        onblur={() => 'note' in typed && void put(typed, false)}></textarea>
    </label>
    <div class="text-sm">
      <label class="grid gap-1">
        How
        <input
          class="input input-sm w-full"
          list="channels"
          bind:value={() => channel, (channel) => type({ channel })}
          maxlength="60"
        />
        <datalist id="channels"
          >{#each CHANNELS as each (each)}<option value={each}></option>{/each}</datalist
        >
      </label>
    </div>
    {#if problem}<ProblemNote {problem} />{/if}
    <div class="flex flex-wrap gap-2 not-printed">
      <button class="btn btn-primary btn-sm" onclick={() => void contacted()}
        >Contacted <kbd class="kbd kbd-xs">c</kbd></button
      >
      <button class="btn btn-sm" onclick={() => void leftOut()}
        >Leave out <kbd class="kbd kbd-xs">x</kbd></button
      >
    </div>
    <form
      class="flex flex-wrap items-end gap-2 text-sm not-printed"
      onsubmit={(event) => {
        event.preventDefault();
        void later();
      }}
    >
      <div class="grid gap-1">
        <label for="call-on">Later: call on</label>
        <DateInput id="call-on" bind:value={() => callOn, (callOn) => type({ callOn })} />
      </div>
      <button class="btn btn-sm" disabled={callOn === (entry.call_on ?? '')}>Later</button>
    </form>
  {/if}
  <p class="flex flex-wrap gap-x-4 text-sm">
    {#if entry.state !== 'to_do'}
      <span class="quiet">{entryWords(entry)}{entry.contacted_by ? ` by ${entry.contacted_by}` : ''}</span>
      {#if me.may('work lists')}
        <button class="word" disabled={pending} onclick={() => void onwork({ state: 'to_do' }, false)}
          >back to do</button
        >
      {/if}
    {/if}
    {#if undoable}<button class="word" disabled={pending} onclick={onundo}>undo</button>{/if}
    <button class="word" onclick={() => address.visitCustomer(book, member.thread.customer)}
      >whole thread</button
    >
    <button class="word" onclick={onclose}>close</button>
  </p>
</section>
