<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { askOnce, useAnswer } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { Pages } from '$lib/pages.svelte';
  import CustomerPage from '$src/customer/CustomerPage.svelte';
  import EmptyBook from '$src/frame/EmptyBook.svelte';
  import QuestionPage from '$src/frame/QuestionPage.svelte';
  import { evidenceOf } from '$src/evidence/source';
  import FiguresTable from './FiguresTable.svelte';
  import Loom from './Loom.svelte';
  import KeepShown from './KeepShown.svelte';
  import PairsTable from './PairsTable.svelte';
  import TallyLine from './TallyLine.svelte';
  import ThreadTable from './ThreadTable.svelte';
  import {
    choose,
    closeCustomer,
    customerAsked,
    narrow,
    openCustomer,
    openedThreads,
    question,
    viewAsked,
    type ListView,
  } from './question.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const list = new Pages<Schemas['ListShape'], Schemas['ListShape']['rows'][number]>((head) => head.rows);
  const pairs = new Pages<Schemas['PairsShape'], Schemas['PairRowShape']>((head) => head.rows);
  const view = $derived(viewAsked());
  const listView = $derived<ListView | undefined>(
    view === 'figures' || view === 'pairs' || view === 'loom' ? undefined : view,
  );
  const bookId = $derived(book.id);
  const revision = $derived(book.revision);
  const customer = $derived(customerAsked());

  $effect(() => {
    void revision;
    const { query } = question;
    const book = bookId;
    if (listView) {
      const name = listView;
      void list.open((offset, limit, signal) => askOnce(name, book, { ...query, offset, limit }, signal));
    } else if (view === 'pairs') {
      void pairs.open((offset, limit, signal) => askOnce('pairs', book, { ...query, offset, limit }, signal));
    }
  });

  const figures = useAnswer('figures', () => ({
    book: bookId,
    query: question.query,
    enabled: view === 'figures',
  }));

  const loom = useAnswer('loom', () => ({ book: bookId, query: question.query, enabled: view === 'loom' }));
  const opened = $derived(view === 'loom' ? openedThreads() : undefined);
  const evidence = $derived(opened && evidenceOf(bookId, 'loom', { ...question.query, ...opened }));

  const asked = $derived(
    view === 'figures' ? figures : view === 'pairs' ? pairs : view === 'loom' ? loom : list,
  );
  const answer = $derived(asked.answer);
  const isEmpty = $derived(
    answer?.tally.customers === 0 && !address.query.get('where') && !answer.rest_tally && !asked.problem,
  );
  const wordOf = (control: string) => answer?.sentence.find((part) => part.control === control)?.text ?? '';
  const tables = $derived([
    { file: `/api/books/${book.id}/ask/${view}/file`, query: question.query, label: '' },
    {
      file: `/api/books/${book.id}/ask/orders/file`,
      query: address.choices([]),
      label: 'every order with its thread',
    },
  ]);
</script>

{#snippet emptyBook()}
  <EmptyBook book={book.id} title="This book holds no customers yet.">
    Import an order export, and every customer's thread is here at once.
  </EmptyBook>
{/snippet}

{#snippet customerPage()}
  {#if customer !== null}
    <CustomerPage {book} {customer} onclose={closeCustomer} onchoose={choose} />
  {/if}
{/snippet}

<QuestionPage
  book={book.id}
  stop="threads"
  {asked}
  question={{ choose, close: () => (evidence ? question.close() : closeCustomer()) }}
  {evidence}
  {tables}
  name="threads-{view}"
  page={customer === null ? undefined : customerPage}
  empty={isEmpty ? emptyBook : undefined}
>
  {#snippet about()}{#if answer}<TallyLine {answer} />{/if}{/snippet}
  {#snippet tools()}
    {#if listView && list.answer}<KeepShown
        book={book.id}
        view={listView}
        query={question.query}
        list={list.answer}
      />{/if}
  {/snippet}
  {#snippet drawing()}
    {#if listView && list.answer}
      {#if listView !== 'customers'}<p class="quiet pb-1 text-sm">{list.answer.words}</p>{/if}
      <ThreadTable
        pages={list}
        head={list.answer}
        view={listView}
        narrow={customer !== null}
        opened={customer}
        onopen={openCustomer}
      />
    {:else if view === 'loom' && loom.answer}
      <Loom answer={loom.answer} onopen={openCustomer} />
    {:else if view === 'figures' && figures.answer}
      <FiguresTable answer={figures.answer} group={wordOf('group')} onnarrow={narrow} onopen={openCustomer} />
    {:else if view === 'pairs' && pairs.answer}
      <PairsTable
        {pairs}
        answer={pairs.answer}
        rowTitle={wordOf('rows')}
        onnarrow={narrow}
        onopen={openCustomer}
      />
    {/if}
  {/snippet}
</QuestionPage>
