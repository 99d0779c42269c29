<script lang="ts">
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { todayIn } from '$lib/format/dates';
  import { stable } from '$lib/stable';
  import { written } from '$lib/format/reader';
  import DateInput from '$src/menus/DateInput.svelte';
  import NumberInput from '$src/menus/NumberInput.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import { STATUSES, type OrderStatus } from './meanings';

  let { book, sources }: { book: Schemas['BookShape']; sources: string[] } = $props();
  const id = $props.id();
  const path = $derived({ book: book.id });
  // svelte-ignore state_referenced_locally
  const today = todayIn(book.time_zone);
  const noOrder = { number: '', customer: '', date: today, amount: '', rep: '', channel: '' };
  const noCustomer = { number: '', email: '', name: '', town: '', closed: '', do_not_contact: '' };

  let source = $state('');
  let order = $state<typeof noOrder & { status: OrderStatus }>({ ...noOrder, status: 'paid' });
  let known = $state.raw<Schemas['OrderShape']>();
  let customer = $state({ ...noCustomer });
  let done = $state('');
  const chosen = $derived(source || sources[0] || '');
  const sameOrder = stable<{ source: string; number: string }>();
  /** The same object while it is the same order that is asked for. */
  const query = $derived(sameOrder({ source: chosen, number: order.number }));

  /** Show what is on record under the number that was typed, if anything is. */
  async function lookUp(): Promise<void> {
    known = undefined;
    if (!order.number || !chosen) return;
    const [asked, before] = [query, { ...order }];
    const found = await onRecord();
    if (!found || asked !== query) return;
    known = found;
    const { number, customer: of, date, time, amount, status, rep, channel } = known;
    const there = {
      number,
      customer: of,
      date: time ? `${date} ${time}` : date,
      amount,
      status,
      rep,
      channel,
    };
    // what was typed meanwhile stands
    const typed = Object.entries(order).filter(
      ([name, value]) => value !== before[name as keyof typeof before],
    );
    order = { ...there, ...Object.fromEntries(typed) };
  }

  /** What was seen of the order goes with its change: somebody else may be at it. */
  const seen = () => ({ 'If-Match': `"${known?.version ?? 0}"` });

  async function onRecord(): Promise<Schemas['OrderShape'] | undefined> {
    try {
      const found = await answerOf(api.GET('/api/books/{book}/orders', { params: { path, query } }));
      return found.order ?? undefined;
    } catch {
      // nothing is shown of an order that cannot be had; sending it says why
      return undefined;
    }
  }

  /** What was typed stays; the next attempt is one at the order as it is by now. */
  async function lookAgain(error: unknown): Promise<never> {
    known = await onRecord();
    throw error;
  }

  function put(words: string): void {
    done = `${words} It can be undone under “Delivered”.`;
  }

  const putOrder = useChange(
    () =>
      answerOf(
        api.POST('/api/books/{book}/orders', {
          params: { path },
          headers: seen(),
          body: { ...order, source: chosen },
        }),
      ).catch(lookAgain),
    () => {
      put(`Order ${order.number} is ${known ? 'corrected' : 'in'}.`);
      order = { ...noOrder, status: 'paid' };
      known = undefined;
    },
  );
  const cancelOrder = useChange(
    () =>
      answerOf(api.DELETE('/api/books/{book}/orders', { params: { path, query }, headers: seen() })).catch(
        lookAgain,
      ),
    () => {
      put(`Order ${order.number} is cancelled.`);
      order = { ...noOrder, status: 'paid' };
      known = undefined;
    },
  );

  const mark = (chosen: string) => (chosen === '' ? null : chosen === 'yes');
  const putCustomer = useChange(
    () =>
      answerOf(
        api.POST('/api/books/{book}/customers', {
          params: { path },
          body: {
            ...customer,
            closed: mark(customer.closed),
            do_not_contact: mark(customer.do_not_contact),
          },
        }),
      ),
    (report) => {
      const who = customer.name || customer.number || customer.email;
      put(`${who} is ${report.counts.added ? 'in' : 'changed'}.`);
      customer = { ...noCustomer };
    },
  );
  const changes = [putOrder, cancelOrder, putCustomer];
  const problem = $derived(changes.map((change) => change.problem).find(Boolean));
  const pending = $derived(changes.some((change) => change.pending));

  function send(change: (typeof changes)[number]): void {
    done = '';
    for (const other of changes) if (other !== change) other.reset();
    void change.run(undefined);
  }
</script>

{#if problem}<ProblemNote {problem} />{/if}
{#if done}<p class="font-semibold" role="status">{done}</p>{/if}
<div class="grid gap-5 lg:grid-cols-2">
  <form
    class="card card-border grid content-start gap-3 bg-base-100 p-4"
    onsubmit={(event) => {
      event.preventDefault();
      send(putOrder);
    }}
  >
    <h2 class="text-lg">An order</h2>
    <p class="quiet -mt-2 text-sm">A number that is on record shows what is known, to be corrected.</p>
    <div class="fields">
      <label>
        source
        <input
          class="input input-sm"
          list="known-sources"
          required
          value={chosen}
          oninput={(event) => (source = event.currentTarget.value)}
          onchange={() => void lookUp()}
        />
      </label>
      <datalist id="known-sources"
        >{#each sources as name (name)}<option value={name}></option>{/each}</datalist
      >
      <label>
        order number
        <input class="input input-sm" required bind:value={order.number} onchange={() => void lookUp()} />
      </label>
      <label
        >customer number or e-mail<input class="input input-sm" required bind:value={order.customer} /></label
      >
      <div class="field">
        <label for="{id}-date">date</label><DateInput
          id="{id}-date"
          required
          bind:value={order.date}
          look="input-sm w-full"
        />
      </div>
      <label
        >amount<NumberInput
          bind:value={order.amount}
          required
          placeholder={written('120.50')}
          look="input-sm"
        /></label
      >
      <label>
        status
        <select class="select select-sm" bind:value={order.status}>
          {#each STATUSES as status (status)}<option value={status}>{status}</option>{/each}
        </select>
      </label>
      <label>sales rep<input class="input input-sm" bind:value={order.rep} /></label>
      <label>channel<input class="input input-sm" bind:value={order.channel} /></label>
    </div>
    {#if known}<p class="quiet text-sm">On record from {known.file_name}.</p>{/if}
    <div class="flex gap-2">
      <button class="btn btn-primary btn-sm" disabled={pending}
        >{known ? 'Correct order' : 'Save order'}</button
      >
      {#if known && known.status !== 'cancelled'}
        <button type="button" class="btn btn-sm" disabled={pending} onclick={() => send(cancelOrder)}
          >Cancel the order</button
        >
      {/if}
    </div>
  </form>
  <form
    class="card card-border grid content-start gap-3 bg-base-100 p-4"
    onsubmit={(event) => {
      event.preventDefault();
      send(putCustomer);
    }}
  >
    <h2 class="text-lg">A customer</h2>
    <p class="quiet -mt-2 text-sm">What is left empty stays as it is.</p>
    <div class="fields">
      <label>customer number<input class="input input-sm" bind:value={customer.number} /></label>
      <label>e-mail<input class="input input-sm" type="email" bind:value={customer.email} /></label>
      <label>name<input class="input input-sm" bind:value={customer.name} /></label>
      <label>town<input class="input input-sm" bind:value={customer.town} /></label>
      <label>
        closed
        <select class="select select-sm" bind:value={customer.closed}>
          <option value="">as it is</option><option value="yes">yes: moved, died, ceased trading</option
          ><option value="no">no</option>
        </select>
      </label>
      <label>
        do not contact
        <select class="select select-sm" bind:value={customer.do_not_contact}>
          <option value="">as it is</option><option value="yes">yes</option><option value="no">no</option>
        </select>
      </label>
    </div>
    <div><button class="btn btn-primary btn-sm" disabled={pending}>Save customer</button></div>
  </form>
</div>

<style>
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.6rem 0.9rem;
  }
  .fields label,
  .field {
    display: grid;
    gap: 0.15rem;
    align-content: start;
    font-size: 0.875rem;
  }
  .fields .input,
  .fields .select {
    width: 100%;
  }
</style>
