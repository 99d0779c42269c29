<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { askOnce, useAnswer, type Asked } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { api, answerOf } from '$lib/api/client';
  import KeepList from '$src/lists/KeepList.svelte';
  import { count, counted, percent } from '$lib/format/figures';
  import { Pages } from '$lib/pages.svelte';
  import { evidenceOf } from '$src/evidence/source';
  import QuestionPage, { type Answered } from '$src/frame/QuestionPage.svelte';
  import BoughtGuide from './BoughtGuide.svelte';
  import BoughtRows from './BoughtRows.svelte';
  import CompareView from './CompareView.svelte';
  import LeadsToGrid from './LeadsToGrid.svelte';
  import PaybackGuide from './PaybackGuide.svelte';
  import PaybackView from './PaybackView.svelte';
  import { openedFigure, question, viewAsked } from './question.svelte';
  import RevenueCloth from './RevenueCloth.svelte';
  import SpendTable from './SpendTable.svelte';
  import TopRows from './TopRows.svelte';
  import WorthGuide from './WorthGuide.svelte';
  import WorthView from './WorthView.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const bookId = $derived(book.id);
  const revision = $derived(book.revision);
  const view = $derived(viewAsked());
  const of = (name: string) => ({ book: bookId, query: question.query, enabled: view === name });
  const worth = useAnswer('worth', () => of('worth'));
  const payback = useAnswer('payback', () => of('payback'));
  const spend = new Pages<Schemas['SpendShape'], Schemas['SpendRowShape']>((head) => head.rows);
  const compare = useAnswer('compare', () => of('compare'));
  const leadsTo = useAnswer('leads-to', () => of('leads-to'));
  const bought = new Pages<Schemas['BoughtShape'], Schemas['BoughtRowShape']>((head) => head.rows);
  const top = new Pages<Schemas['TopCustomersShape'], Schemas['TopCustomerShape']>((head) => head.rows);

  $effect(() => {
    void revision;
    const { query } = question;
    const book = bookId;
    if (view === 'spend') void spend.open((offset, limit, signal) => page('spend', offset, limit, signal));
    if (view === 'top-customers')
      void top.open((offset, limit, signal) => page('top-customers', offset, limit, signal));
    if (view === 'bought') void bought.open((offset, limit, signal) => page('bought', offset, limit, signal));

    function page<Name extends 'spend' | 'top-customers' | 'bought'>(
      name: Name,
      offset: number,
      limit: number,
      signal: AbortSignal,
    ) {
      return askOnce(name, book, { ...query, offset, limit }, signal);
    }
  });

  const asked = $derived<Asked<Answered>>(
    { worth, payback, spend, compare, 'top-customers': top, bought, 'leads-to': leadsTo }[view],
  );
  const opened = $derived(openedFigure(view));
  const evidence = $derived(opened && evidenceOf(bookId, view, { ...question.query, ...opened }));
  const keep = (name: string) =>
    answerOf(
      api.POST('/api/books/{book}/ask/top-customers/list', {
        params: { path: { book: bookId }, query: question.query },
        body: { name, hold_back: 0 },
      }),
    );
  const half = $derived(top.answer?.tops.find((each) => each.top === 'half'));
</script>

<QuestionPage
  book={book.id}
  stop="worth"
  {asked}
  {question}
  tables={[{ file: `/api/books/${book.id}/ask/${view}/file`, query: question.query, label: '' }]}
  name="worth-{view}"
  {evidence}
>
  {#snippet tools()}
    {#if view === 'top-customers' && top.answer && top.answer.count > 0}
      <KeepList customers={top.answer.count} name={top.answer.list_name} {keep} instead={{ top: null }} />
    {/if}
  {/snippet}
  {#snippet drawing()}
    {#if view === 'worth' && worth.answer}
      <WorthView answer={worth.answer} />
    {:else if view === 'payback' && payback.answer}
      <PaybackView answer={payback.answer} />
    {:else if view === 'spend' && spend.answer}
      <SpendTable pages={spend} head={spend.answer} />
    {:else if view === 'compare' && compare.answer}
      <CompareView answer={compare.answer} />
    {:else if view === 'bought' && bought.answer}
      <BoughtRows pages={bought} head={bought.answer} />
    {:else if view === 'leads-to' && leadsTo.answer}
      <LeadsToGrid answer={leadsTo.answer} />
    {:else if view === 'top-customers' && top.answer}
      <RevenueCloth
        answer={top.answer}
        opened={question.opened[0]}
        onopen={(largest) => question.open(largest)}
      />
      <TopRows pages={top} head={top.answer} onopen={(customer) => address.visitCustomer(bookId, customer)} />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if view === 'worth' && worth.answer}
      <WorthGuide answer={worth.answer} />
    {:else if view === 'payback' && payback.answer}
      <PaybackGuide answer={payback.answer} />
    {:else if view === 'spend'}
      <h2 class="text-lg">How to read it</h2>
      <p class="quiet text-sm">
        A customer is won by the channel of the first order. CAC is what was spent in the month, divided by
        everybody who first ordered in it. Some ordered first long after they were reached, so single months
        of a channel say little. A month without spend is no month without cost: it may be missing.
      </p>
    {:else if view === 'compare' && compare.answer}
      <h2 class="text-lg">How to read it</h2>
      <p class="quiet text-sm">
        What a customer of each group had brought up to the same age, before CAC. Only customers whose cohort
        is old enough count at an age. The ranges are a bootstrap over customers: who they are was left to
        chance, so another year’s would differ as much.
        {#if compare.answer.both > 0}{counted(compare.answer.both, 'customer')}
          {compare.answer.both === 1 ? 'is' : 'are'} in both, so the range is wider than it need be.{/if}
      </p>
    {:else if view === 'bought' && bought.answer}
      <BoughtGuide {book} head={bought.answer} />
    {:else if view === 'leads-to'}
      <h2 class="text-lg">How to read it</h2>
      <p class="quiet text-sm">
        A row is those whose first order was mainly of one category: that with the largest amount in it. A
        cell is the share of them with a line of the column’s category in any later order so far, and under it
        how sure that is. The darker, the more. Click a cell to see who they are.
      </p>
    {:else if view === 'top-customers' && top.answer}
      {#if half && half.customers > 0}
        <p>
          <span class="font-serif text-4xl leading-tight font-semibold">{count(half.customers)}</span>
          <span class="quiet font-semibold">customers brought half of the revenue</span>
        </p>
        <p class="text-sm">
          That is {percent(half.customers / Math.max(1, top.answer.ordered), 1)} % of the {counted(
            top.answer.ordered,
            'customer',
          )} who ordered.
        </p>
      {/if}
      <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
      <p class="quiet text-sm">
        The band is all revenue, woven from the largest customer on; click a part to see who they are. A row
        opens the customer’s page.
      </p>
    {/if}
  {/snippet}
</QuestionPage>
