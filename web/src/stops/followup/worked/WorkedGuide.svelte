<script lang="ts">
  import { said } from '$lib/format/reader';
  import { groups } from 'd3-array';
  import { createQuery } from '@tanstack/svelte-query';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { date, moment } from '$lib/format/dates';
  import { count, counted, money, nounFor } from '$lib/format/figures';
  import { me } from '$lib/me.svelte';
  import { seen } from '$lib/seen.svelte';
  import { GROUPS, outcomeOf, shareWords, type Shown, type WorkedList } from '../members';
  import TakeAlong from '../TakeAlong.svelte';
  import { question } from '$lib/question.svelte';

  interface Props {
    book: number;
    answer: WorkedList;
    pending: boolean;
    onundo: (action: number) => void;
  }
  let { book, answer, pending, onundo }: Props = $props();

  const LATEST = 12;
  const PARTS: Shown[] = ['contacted', 'to_do', 'left_out', 'held_back'];
  const there = $derived(
    PARTS.flatMap((members) => {
      const outcome = outcomeOf(answer, members);
      return outcome && outcome.customers > 0 ? [{ members, outcome }] : [];
    }),
  );
  const done = createQuery(() => ({
    queryKey: ['history', book, answer.list_id, seen.lists],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/lists/{list}/history', {
          params: { path: { book, list: answer.list_id }, query: { limit: LATEST } },
        }),
      ),
    enabled: me.may('work lists'),
  }));
  const FIELDS: Record<Schemas['WorkField'], string> = {
    state: '',
    contacted_on: 'on',
    channel: 'by',
    contacted_by: 'by',
    call_on: 'call on',
    note: 'note:',
    held_back: '',
  };
  type Change = Schemas['ListChangeShape'];
  const DATED: Schemas['WorkField'][] = ['contacted_on', 'call_on'];
  const changed = ({ field, value }: Change) => {
    const words = value && DATED.includes(field) ? date(value) : value.replaceAll('_', ' ');
    return `${FIELDS[field]} ${words || 'nothing'}`.trim();
  };
  /** What was done at once stands together. */
  const actions = $derived(
    groups(done.data?.changes ?? [], (change: Change) => change.action).map(([, changes]) => ({
      first: changes[0] as Change,
      words: [...changes]
        .reverse()
        .filter((change) => change.field !== 'contacted_by')
        .map(changed)
        .join(', '),
    })),
  );
</script>

<p class="text-sm">
  <strong>{answer.list_name}</strong>: {counted(answer.customers, 'customer')}, frozen as of {date(
    answer.made_as_of,
  )}.
</p>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">What became of it</h2>
<ul class="grid gap-1 text-sm">
  {#each there as { members, outcome } (members)}
    <li class="grid grid-cols-[1fr_auto] gap-x-3">
      <button class="word justify-self-start" onclick={() => question.open('members', members, 'ordered')}
        >{GROUPS[members]}, ordered again</button
      >
      <span class="font-semibold">{shareWords(outcome)}</span>
      {#if outcome.ordered + outcome.open_ordered > 0}
        <span class="quiet col-span-2"
          >{money(outcome.revenue, true)}
          {answer.currency}{outcome.median_days === null
            ? ''
            : `, half of them by day ${count(Math.round(outcome.median_days))}`}</span
        >
      {/if}
    </li>
  {/each}
</ul>
<p class="mt-2 text-sm">
  {answer.compared.one.charAt(0).toUpperCase()}{answer.compared.one.slice(1)} against {answer.compared.other}: {said(
    answer.compared.words,
  )}
</p>
{#if me.may('ask and take files')}
  <p class="mt-2 text-sm">
    <button class="word" onclick={() => question.visit('outcomes')}>all lists</button>
  </p>
  <TakeAlong {book} view="worked" />
{/if}
{#if me.may('work lists')}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">What was done</h2>
{/if}
{#if !me.may('work lists')}
  <p class="quiet mt-3 text-sm">Callers, analysts and owners work this list.</p>
{:else if actions.length === 0}
  <p class="quiet text-sm">
    Nothing yet. Choose a row; <kbd class="kbd kbd-xs">c</kbd> contacted, <kbd class="kbd kbd-xs">x</kbd>
    leave out,
    <kbd class="kbd kbd-xs">n</kbd> note, <kbd class="kbd kbd-xs">z</kbd> undo, while the rows have the focus.
  </p>
{:else}
  <ul class="grid gap-1 text-sm">
    {#each actions as { first, words } (first.action)}
      <li class:quiet={first.undone || first.undoes !== null}>
        <strong>{first.name || 'somebody who left the book'}</strong>
        {first.undoes === null ? words : 'taken back'}
        <span class="quiet">{first.by || 'somebody'}, {moment(first.made_at)}</span>
        {#if !first.undone && first.undoes === null}
          <button class="word" disabled={pending} onclick={() => onundo(first.action)}>undo</button>
        {/if}
      </li>
    {/each}
  </ul>
  {#if (done.data?.count ?? 0) > LATEST}
    <p class="quiet text-sm">
      {count(done.data?.count ?? 0)}
      {nounFor(done.data?.count ?? 0, 'change')} in all.
    </p>
  {/if}
{/if}
