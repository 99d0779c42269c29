<script lang="ts">
  import { me } from '$lib/me.svelte';
  import { address, type Choices } from '$lib/address.svelte';
  import { useQuestion, type AnswerTo } from '$lib/answer.svelte';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import { goOnHereUnless } from '$lib/focus';
  import { stable } from '$lib/stable';
  import PersonRights from './PersonRights.svelte';
  import KeepList from '$src/lists/KeepList.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import LargeThread from '$src/thread/LargeThread.svelte';
  import Notes from '$src/written/Notes.svelte';
  import AddOrder, { noOrder, type Draft } from './AddOrder.svelte';
  import Facts from './Facts.svelte';
  import OrdersTable from './OrdersTable.svelte';

  interface Props {
    book: Schemas['BookShape'];
    customer: number;
    onclose: () => void;
    onchoose: (name: string, values: string[]) => void;
  }
  let { book, customer, onclose, onchoose }: Props = $props();
  /** In a list the keys lead on from customer to customer. */
  const atHeading = goOnHereUnless('[role=grid]');
  const ISO_DATE = /^\d{4}-\d{2}-\d{2}$/;
  const sameReading = stable<Choices>();
  const reading = $derived(sameReading(address.choices()));
  const orders = useQuestion(() => ({
    name: 'thread',
    book: book.id,
    query: { ...reading, customer },
    rows: (found: AnswerTo<'thread'>) => found.orders,
  }));
  /** The customers for whom an order is being added, with what is typed of it. */
  let drafts = $state<Record<number, Draft>>({});

  const page = $derived(orders.answer);
  const marks = $derived(
    page
      ? Object.entries(page.about).map(([name, value]) =>
          name === 'closed' ? 'closed' : name === 'do_not_contact' ? 'do not contact' : saidOf(name, value),
        )
      : [],
  );

  function toggle(customer: number): void {
    const { [customer]: draft, ...others } = drafts;
    drafts = draft ? others : { ...others, [customer]: noOrder(book.time_zone) };
  }

  function saidOf(name: string, value: string): string {
    return ISO_DATE.test(value) ? `${name.replaceAll('_', ' ')} ${date(value)}` : value;
  }
</script>

<section
  aria-label="Customer"
  class="order-first flex min-h-0 min-w-0 flex-1 flex-col border-base-300 desk:order-none desk:border-l desk:pl-6"
>
  {#if orders.problem}
    <FailedNote problem={orders.problem} onagain={orders.again} />
    {#if !page}<button class="btn btn-sm self-start" onclick={onclose}>Close</button>{/if}
  {/if}
  {#if page}
    <header class="flex flex-wrap items-start justify-between gap-x-4 gap-y-1" class:dimmed={orders.stale}>
      <div class="min-w-0">
        {#key page.customer}<h2
            dir="auto"
            class="text-[1.7rem] leading-8 break-words outline-none"
            tabindex="-1"
            {@attach atHeading}
          >
            {page.name}
          </h2>{/key}
        <p class="quiet text-sm">{[...marks, ...page.keys].join(' · ')}</p>
      </div>
      <div class="flex flex-wrap items-center gap-3 not-printed">
        <KeepList
          customers={1}
          keyed={false}
          name={page.name || (page.keys[0] ?? '')}
          keep={(name) =>
            answerOf(
              api.POST('/api/books/{book}/ask/thread/list', {
                params: { path: { book: book.id }, query: { ...reading, customer } },
                body: { name, hold_back: 0 },
              }),
            )}
        />
        {#if me.may('decide about the book')}
          {#key page.customer}
            <PersonRights book={book.id} customer={page.customer} name={page.name} />
          {/key}
        {/if}
        {#if me.may('import and correct')}
          <button
            class="btn btn-sm btn-primary"
            aria-expanded={page.customer in drafts}
            onclick={() => toggle(page.customer)}>Add an order</button
          >
        {/if}
        <button class="btn btn-sm btn-ghost" onclick={onclose}>Close</button>
      </div>
    </header>
    {#key page.customer}
      {#if drafts[page.customer]}
        <AddOrder
          {book}
          bind:draft={
            () => drafts[page.customer] ?? noOrder(book.time_zone),
            (draft) => (drafts = { ...drafts, [page.customer]: draft })
          }
          customer={page.keys[0] ?? ''}
          usual={page.orders[0]?.order.source ?? ''}
          onclose={() => toggle(page.customer)}
        />
      {/if}
    {/key}
    <div class="flex min-h-0 flex-1 flex-col" class:dimmed={orders.stale}>
      <Facts {page} {onchoose} />
      {#key page.customer}
        <div class="mt-2 text-sm">
          <Notes book={book.id} thing={{ about: 'customer', key: String(page.customer) }} />
        </div>
      {/key}
      {#if page.order_count > 0 || page.payments.length > 0}
        <LargeThread {page} />
      {/if}
      {#if page.order_count > 0}
        <OrdersTable book={book.id} {page} rows={orders} />
      {:else}
        <p class="mt-4">
          {page.not_counted > 0
            ? `No order counts: the reading line leaves ${counted(page.not_counted, 'order')} out.`
            : 'This customer has never ordered. Add an order when the first one comes.'}
        </p>
      {/if}
    </div>
  {:else if !orders.problem}
    <p class="quiet mt-2" role="status">Looking up the customer…</p>
  {/if}
</section>
