<script lang="ts">
  import { askOnce, useQuestion, type AnswerTo, type Rows } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import { memberOf, type Member, type WorkedList } from '../members';
  import { hand } from './hand.svelte';
  import MailPanel from './MailPanel.svelte';
  import MemberPanel from './MemberPanel.svelte';
  import WorkedGuide from './WorkedGuide.svelte';
  import { useWorking, type Done } from './working.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: WorkedList;
    rows: Rows<Member>;
  }
  let { book, answer, rows }: Props = $props();
  const working = useWorking(() => ({ book: book.id, list: answer.list_id }));
  const customer = $derived(hand.customer);
  const one = useQuestion<AnswerTo<'worked/one'>>(() => ({
    name: 'worked/one',
    book: book.id,
    query: { ...question.query, customer: customer ?? 0 },
    enabled: customer !== null,
  }));
  const asked = $derived(one.stale ? undefined : one.answer);
  /** From the rows that are here, at once; a member further down has to be asked for. */
  const member = $derived(
    customer === null ? undefined : (rowOf(customer) ?? (asked && memberOf(asked.member))),
  );

  function rowOf(customer: number): Member | undefined {
    for (let at = 0; at < answer.count; at += 1) {
      const row = rows.row(at);
      if (row?.thread.customer === customer) return row;
    }
    return undefined;
  }

  /** Who is to do after a member, as the list stands before anything is put down: afterwards the member may be gone from
   * what is shown. */
  async function nextAfter(customer: number): Promise<number | null> {
    if (asked?.member.row.thread.customer === customer) return asked.next;
    const query = { ...question.query, customer };
    try {
      return (await askOnce('worked/one', book.id, query, new AbortController().signal)).next;
    } catch {
      // the member stays selected
      return null;
    }
  }

  /** Put down what was done, and go on to the next member that is to do: unless somebody went elsewhere meanwhile. */
  async function work(done: Done, goOn: boolean): Promise<boolean> {
    if (customer === null) return false;
    const worked = customer;
    const next = goOn ? await nextAfter(worked) : null;
    if (!(await working.work(worked, done))) return false;
    if (next !== null && hand.customer === worked) hand.take(next);
    return true;
  }

  $effect(() => hand.keys.on('z', () => void working.undo()));
</script>

{#if question.opened[0] === 'mail'}
  <MailPanel book={book.id} {answer} onclose={() => question.close()} />
{:else if member}
  <MemberPanel
    book={book.id}
    list={answer.list_id}
    {member}
    currency={answer.currency}
    pending={working.pending}
    problem={working.problem}
    undoable={working.undoable}
    onwork={work}
    onundo={() => void working.undo()}
    onclose={() => question.close()}
  />
{:else if customer !== null}
  {#if one.problem}
    <FailedNote problem={one.problem} onagain={one.again} />
    <p><button class="word text-sm" onclick={() => question.close()}>back to the list</button></p>
  {:else}
    <p class="quiet" role="status">Looking up the customer…</p>
  {/if}
{:else}
  <WorkedGuide
    book={book.id}
    {answer}
    pending={working.pending}
    onundo={(action) => void working.undo(action)}
  />
{/if}
