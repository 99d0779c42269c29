<script lang="ts">
  import { untrack } from 'svelte';
  import { address } from '$lib/address.svelte';
  import { askOnce, useAnswer, type Asked } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { commands, isTyping } from '$lib/commands.svelte';
  import { listsSeen } from '$lib/listsSeen.svelte';
  import { Pages } from '$lib/pages.svelte';
  import { evidenceOf } from '$src/evidence/source';
  import QuestionPage, { type Answered } from '$src/frame/QuestionPage.svelte';
  import Band from './Band.svelte';
  import FollowUpGuide from './FollowUpGuide.svelte';
  import FollowUpView from './FollowUpView.svelte';
  import LapseCurve from './LapseCurve.svelte';
  import LapseGuide from './LapseGuide.svelte';
  import { membersOf, nextToDo, type Member, type WorkedList } from './members';
  import MailPanel from './MailPanel.svelte';
  import MemberPanel from './MemberPanel.svelte';
  import OutcomesTable from './OutcomesTable.svelte';
  import { memberOpened, openedFigure, question, viewAsked, visitList } from './question.svelte';
  import StandingGroups from './StandingGroups.svelte';
  import StandingGuide from './StandingGuide.svelte';
  import StandingsOver from './StandingsOver.svelte';

  import WorkedGuide from './WorkedGuide.svelte';
  import WorkedView from './WorkedView.svelte';
  import { useWorking, type Done } from './working.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const bookId = $derived(book.id);
  const revision = $derived(book.revision);
  const view = $derived(viewAsked());
  const standing = useAnswer('standing', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'standing',
  }));
  const curve = useAnswer('lapse-curve', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'lapse-curve',
  }));
  const outcomes = useAnswer('outcomes', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'outcomes',
  }));
  const worked = new Pages<WorkedList, Member>(membersOf);
  const working = useWorking(
    () => ({ book: bookId, list: worked.answer?.list_id ?? 0 }),
    () => worked.refresh(),
  );
  const under = $derived(view === 'worked' ? memberOpened() : null);
  const place = $derived.by(() => {
    const count = worked.answer?.count ?? 0;
    for (let at = 0; at < count; at += 1) if (worked.row(at)?.thread.customer === under) return at;
    return -1;
  });
  const member = $derived(under === null || place < 0 ? undefined : worked.row(place));
  let panel = $state<MemberPanel>();
  const list = new Pages<Schemas['FollowUpShape'], Schemas['FollowUpRowShape']>((head) => head.rows);

  $effect(() => {
    void revision;
    const { query } = question;
    const book = bookId;
    if (view === 'follow-up')
      void list.open((offset, limit, signal) =>
        askOnce('follow-up', book, { ...query, offset, limit }, signal),
      );
    if (view === 'worked')
      void worked.open((offset, limit, signal) =>
        askOnce('worked', book, { ...query, offset, limit }, signal),
      );
  });
  // what somebody else did is seen at once
  $effect(() => {
    if (listsSeen.mark) void untrack(() => worked.refresh());
  });

  /** Put down what was done, and go on to the next member that is to do: unless somebody went elsewhere meanwhile. */
  async function work(done: Done, goOn: boolean): Promise<void> {
    if (!member) return;
    const at = place;
    const { customer } = member.thread;
    if (!(await working.work(customer, done)) || !goOn || under !== customer) return;
    const next = nextToDo((each) => worked.row(each), worked.answer?.count ?? 0, at);
    const row = next === undefined ? undefined : worked.row(next);
    if (row) question.set({ open: String(row.thread.customer) }, false);
  }

  function keyed(event: KeyboardEvent): void {
    if (!commands.single || isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    const acts: Record<string, () => unknown> = {
      c: () => panel?.contacted(),
      x: () => panel?.leftOut(),
      n: () => panel?.toNote(),
      z: () => working.undo(),
    };
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  }

  const asked = $derived<Asked<Answered>>(
    view === 'follow-up'
      ? list
      : view === 'standing'
        ? standing
        : view === 'worked'
          ? worked
          : view === 'outcomes'
            ? outcomes
            : curve,
  );
  const opened = $derived(openedFigure(view));
  const evidence = $derived(
    opened && view !== 'outcomes' && evidenceOf(bookId, view, { ...question.query, ...opened }),
  );

  const visitCustomer = (customer: number) => address.visitCustomer(bookId, customer);
</script>

<QuestionPage
  book={book.id}
  stop="followup"
  {asked}
  {question}
  tables={[{ file: `/api/books/${book.id}/ask/${view}/file`, query: question.query, label: '' }]}
  name="follow-up-{view}"
  evidence={evidence || undefined}
>
  {#snippet drawing()}
    {#if view === 'follow-up' && list.answer}
      <FollowUpView pages={list} head={list.answer} onopen={visitCustomer} />
    {:else if view === 'standing' && standing.answer}
      {#if standing.answer.over}
        <StandingsOver answer={standing.answer} over={standing.answer.over} />
      {:else if standing.answer.groups.length > 0}
        <StandingGroups answer={standing.answer} />
      {:else}
        <div class="pt-2">
          <Band
            standings={standing.answer.standings}
            label="Where customers stand"
            height={72}
            opened={question.opened[0]}
            onopen={(stands) => question.open(stands)}
          />
        </div>
      {/if}
    {:else if view === 'worked' && worked.answer}
      <WorkedView
        pages={worked}
        head={worked.answer}
        opened={under}
        onopen={(customer) => question.set({ open: String(customer) }, false)}
        onkey={keyed}
      />
    {:else if view === 'outcomes' && outcomes.answer}
      <OutcomesTable answer={outcomes.answer} onopen={visitList} />
    {:else if view === 'lapse-curve' && curve.answer}
      <LapseCurve answer={curve.answer} />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if view === 'follow-up' && list.answer}
      <FollowUpGuide book={book.id} answer={list.answer} />
    {:else if view === 'standing' && standing.answer}
      <StandingGuide answer={standing.answer} />
    {:else if view === 'worked' && worked.answer}
      {#if question.opened[0] === 'mail'}
        <MailPanel book={book.id} answer={worked.answer} onclose={() => question.close()} />
      {:else if member}
        {#key member.thread.customer}
          <MemberPanel
            bind:this={panel}
            book={book.id}
            {member}
            currency={worked.answer.currency}
            pending={working.pending}
            problem={working.problem}
            undoable={working.undoable}
            onwork={(done, goOn) => void work(done, goOn)}
            onundo={() => void working.undo()}
            onclose={() => question.close()}
          />
        {/key}
      {:else}
        <WorkedGuide
          book={book.id}
          answer={worked.answer}
          pending={working.pending}
          onundo={(action) => void working.undo(action)}
        />
      {/if}
    {:else if view === 'outcomes' && outcomes.answer}
      <h2 class="text-lg">How to read it</h2>
      <p class="quiet text-sm">
        Of everybody who was contacted and whose days are over, how many ordered again in them. It is no
        comparison: a list that held a share back at random has one of its own. A row opens the list.
      </p>
    {:else if view === 'lapse-curve' && curve.answer}
      <LapseGuide answer={curve.answer} />
    {/if}
  {/snippet}
</QuestionPage>
