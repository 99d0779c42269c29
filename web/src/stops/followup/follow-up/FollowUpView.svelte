<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import Band from '../Band.svelte';
  import ContactRows from './ContactRows.svelte';
  import { question } from '$lib/question.svelte';
  import { STANDS, type Stands } from '../standings';

  type FollowUp = Schemas['FollowUpShape'];
  interface Props {
    rows: Rows<FollowUp['rows'][number]>;
    answer: FollowUp;
    book: Schemas['BookShape'];
  }
  let { book, rows, answer }: Props = $props();

  const reasons = $derived(answer.reasons.map((each) => each.reason));
  const chosen = $derived(STANDS.filter((stands) => reasons.some((reason) => reason === stands)));
  const since = $derived(answer.since);
  /** Why some left the earlier list: (24 ordered, 1 closed). */
  const why = $derived.by(() => {
    if (!since || since.gone === 0) return '';
    const parts = [
      [since.ordered, 'ordered'],
      [since.closed, 'closed or not to be contacted'],
      [since.other, 'do not fit any more'],
    ] as const;
    const said = parts.filter(([there]) => there > 0).map(([there, words]) => `${count(there)} ${words}`);
    return ` (${said.join(', ')})`;
  });

  /** A stretch that is a reason of the list opens it there; another one is a question of its own. */
  function open(stands: Stands): void {
    if (chosen.includes(stands)) question.open('listed', stands);
    else question.visit('standing', { open: stands });
  }
</script>

<div class="shrink-0 pt-1 pb-2">
  <Band
    standings={answer.standings}
    {chosen}
    opened={question.opened[1]}
    label="Where customers stand"
    onopen={open}
  />
  <p class="flex flex-wrap items-baseline gap-x-5 pt-1 text-sm" aria-live="polite">
    {#if since}
      <span>
        Since <strong>{since.name}</strong>, as of {date(since.made_as_of)}:
        <button class="word" onclick={() => question.open('new')}>{count(since.new)} new</button>,
        <button class="word" onclick={() => question.open('still')}
          >{count(since.still)} still on it, {count(since.contacted)} of them contacted</button
        >,
        <button class="word" onclick={() => question.open('gone')}>{count(since.gone)} left it</button>
        {why}.
      </span>
    {:else}
      <span>
        This list: <strong>{count(answer.count)}</strong>{#if answer.left_out > 0}; {count(answer.found)} fit, less
          <button class="word" onclick={() => question.open('left_out')}
            >{count(answer.left_out)} closed or not to be contacted</button
          >{/if}.
      </span>
    {/if}
    <span class="ml-auto flex flex-wrap gap-x-4 not-printed">
      <button class="word" onclick={() => question.visit('standing', { by: 'first_source' })}>where</button>
      <button class="word" onclick={() => question.visit('standing', { over: 'month' })}>since when</button>
      <button class="word" onclick={() => question.visit('lapse-curve')}>by limit</button>
    </span>
  </p>
</div>
<ContactRows {book} {rows} {answer} />
