<script lang="ts">
  import { said } from '$lib/format/reader';
  import type { Schemas } from '$lib/api/client';
  import { count, nounFor } from '$lib/format/figures';
  import { keepOf } from '$src/evidence/source';
  import KeepList from '$src/lists/KeepList.svelte';
  import { question } from '$lib/question.svelte';
  import { visitList } from '../visiting';
  import TakeAlong from '../TakeAlong.svelte';
  import { address } from '$lib/address.svelte';

  type FollowUp = Schemas['FollowUpShape'];
  let { book, answer }: { book: Schemas['BookShape']; answer: FollowUp } = $props();

  const WORDS: Record<Schemas['Who'], string> = {
    lapsed: 'have lapsed',
    never_ordered: 'never ordered',
    none_counted: 'placed only orders that do not count',
    overdue: 'are overdue against their own gap',
    one_order: 'ordered once',
  };
  const boundary = $derived(said(answer.boundary.words));
  const part = $derived(answer.since ? 'new' : 'listed');

  let holdBack = $state(0);
  const MOST_HELD_BACK = 50;
  const list = $derived(address.query.get('list'));

  const listed = $derived({
    book: book.id,
    question: 'follow-up',
    query: { ...question.query, part },
  });
  const keep = (name: string) => keepOf(listed, name, holdBack / 100);
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold">{count(answer.count)}</span>
  <span class="quiet font-semibold">{nounFor(answer.count, 'customer')} to contact</span>
</p>
<p class="text-sm">{boundary.charAt(0).toUpperCase()}{boundary.slice(1)}.</p>
<ul class="mt-2 grid gap-1 text-sm">
  {#each answer.reasons as { reason, customers } (reason)}
    <li class="flex justify-between gap-3">
      <button class="word" onclick={() => question.open('listed', reason)}>{WORDS[reason]}</button>
      <span class="font-semibold">{count(customers)}</span>
    </li>
  {/each}
</ul>
{#if answer.reasons.length > 1}
  <p class="quiet mt-1 text-sm">Somebody can be there for several reasons, and stands in the list once.</p>
{/if}
<p class="mt-3 border-t border-base-300 pt-2">
  <KeepList customers={answer.count} name={answer.list_name} {keep} instead={{ open: null }}>
    {#snippet further()}
      <label class="flex flex-wrap items-baseline gap-2 text-sm">
        Control group
        <input type="number" class="input input-sm w-20" min="0" max={MOST_HELD_BACK} bind:value={holdBack} />
        % at random, to compare with
      </label>
    {/snippet}
  </KeepList>
</p>
{#if list}
  <p class="mt-2 text-sm">
    <button class="word" onclick={() => visitList(list)}>work the list {list}</button>
  </p>
{/if}
<TakeAlong book={book.id} view="follow-up" />
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  The usual gap is the customer’s own median from four orders on, before that everybody’s at that step, in
  brackets. Overdue says how many usual gaps the silence is long. Whoever never ordered has no date, and comes
  last.
</p>
