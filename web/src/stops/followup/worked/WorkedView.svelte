<script lang="ts">
  import { date } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import type { Rows } from '$lib/answer.svelte';
  import ThreadRows from '$src/rows/ThreadRows.svelte';
  import {
    becameShort,
    becameWords,
    doneCount,
    entryWords,
    GROUPS,
    outcomeOf,
    type Member,
    type Shown,
    wholeEntry,
    type WorkedList,
  } from '../members';
  import { question } from '$lib/question.svelte';
  import { hand } from './hand.svelte';

  interface Props {
    rows: Rows<Member>;
    answer: WorkedList;
  }
  let { rows, answer }: Props = $props();

  const PARTS: Shown[] = ['to_do', 'contacted', 'left_out', 'held_back'];
  const held = $derived(outcomeOf(answer, 'held_back')?.customers ?? 0);
  const done = $derived(doneCount(answer));
  const whole = $derived(answer.customers - held);
  const columns = $derived([
    {
      name: 'state',
      title: 'Done',
      width: 124,
      strong: true,
      text: (row: Member) => entryWords(row.entry),
      whole: (row: Member) => wholeEntry(row.entry),
    },
    {
      name: 'latest',
      sorts: 'latest_date',
      title: 'Latest order',
      width: 98,
      text: ({ row }: Member) => (row.latest_date ? date(row.latest_date) : 'never'),
    },
    {
      name: 'days',
      sorts: 'days_since',
      title: 'Days since',
      width: 64,
      right: true,
      text: ({ row }: Member) => (row.days_since === null ? '—' : count(row.days_since)),
    },
    {
      name: 'became',
      title: 'Ordered again',
      about: 'Within the days that count',
      width: 140,
      text: (row: Member) => becameShort(row),
      whole: (row: Member) => becameWords(row),
    },
  ]);
</script>

<div class="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 pb-2 text-sm">
  <span class="font-semibold" aria-live="polite">{count(done)} of {count(whole)} done</span>
  <progress class="progress w-40" value={done} max={Math.max(1, whole)} aria-label="Members that are done"
  ></progress>
  {#each PARTS as part (part)}
    {@const there = outcomeOf(answer, part)?.customers ?? 0}
    {#if there > 0}
      <button class="word" onclick={() => question.open('members', part)}
        >{count(there)} {GROUPS[part]}</button
      >
    {/if}
  {/each}
</div>
<!-- keys act where the rows are, and nowhere else -->
<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="flex min-h-0 flex-1 flex-col" onkeydown={(event) => hand.keys.pressed(event)}>
  <ThreadRows
    label="{count(answer.count)} members of {answer.list_name}"
    {rows}
    {answer}
    beside={() => columns}
    plain
    shortest={110}
    nameWidth={170}
    looks={(row) => (row.entry.state === 'to_do' ? '' : 'quiet')}
    empty="Nobody is shown. Choose other members in the sentence."
    onopen={(customer) => hand.take(customer)}
    opened={hand.customer}
  />
</div>
