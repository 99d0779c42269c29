<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import { STATUSES } from './meanings';

  let { book, sources }: { book: number; sources: string[] } = $props();
  const client = useQueryClient();
  const path = $derived({ book });
  const today = new Date().toISOString().slice(0, 10);
  const noOrder = { number: '', customer: '', date: today, amount: '', rep: '', channel: '' };
  const noCustomer = { number: '', email: '', name: '', town: '', closed: '', do_not_contact: '' };

  let source = $state('');
  let order = $state({ ...noOrder, status: 'paid' as Schemas['OrderStatus'] });
  let known = $state.raw<Schemas['OrderShape']>();
  let customer = $state({ ...noCustomer });
  let problem = $state.raw<Problem>();
  let done = $state('');
  const chosen = $derived(source || sources[0] || '');
  const query = $derived({ source: chosen, number: order.number });

  async function attempt(work: () => Promise<string>): Promise<void> {
    problem = undefined;
    done = '';
    try {
      done = await work();
      await client.invalidateQueries();
    } catch (error) {
      problem = problemOf(error);
    }
  }

  /** Show what is on record under the number that was typed, if anything is. */
  async function lookUp(): Promise<void> {
    known = undefined;
    if (!order.number || !chosen) return;
    const found = await api.GET('/api/books/{book}/orders', { params: { path, query } });
    if (!found.data?.order) return;
    known = found.data.order;
    const { number, customer: of, date, time, amount, status, rep, channel } = known;
    order = { number, customer: of, date: time ? `${date} ${time}` : date, amount, status, rep, channel };
  }

  /** What was seen of the order goes with its change: somebody else may be at it. */
  const seen = () => ({ 'If-Match': `"${known?.version ?? 0}"` });

  /** What was typed stays; the next attempt is one at the order as it is by now. */
  async function lookAgain(error: unknown): Promise<never> {
    const found = await api.GET('/api/books/{book}/orders', { params: { path, query } });
    known = found.data?.order ?? undefined;
    throw error;
  }

  const putOrder = () =>
    attempt(async () => {
      await told(
        api.POST('/api/books/{book}/orders', {
          params: { path },
          headers: seen(),
          body: { ...order, source: chosen },
        }),
      ).catch(lookAgain);
      const words = `Order ${order.number} is ${known ? 'corrected' : 'in'}. It can be undone under “Delivered”.`;
      order = { ...noOrder, status: 'paid' };
      known = undefined;
      return words;
    });

  const cancelOrder = () =>
    attempt(async () => {
      await told(api.DELETE('/api/books/{book}/orders', { params: { path, query }, headers: seen() })).catch(
        lookAgain,
      );
      const words = `Order ${order.number} is cancelled. It can be undone under “Delivered”.`;
      order = { ...noOrder, status: 'paid' };
      known = undefined;
      return words;
    });

  const mark = (told: string) => (told === '' ? null : told === 'yes');
  const putCustomer = () =>
    attempt(async () => {
      const body = {
        ...customer,
        closed: mark(customer.closed),
        do_not_contact: mark(customer.do_not_contact),
      };
      const report = await told(api.POST('/api/books/{book}/customers', { params: { path }, body }));
      const who = customer.name || customer.number || customer.email;
      customer = { ...noCustomer };
      return `${who} is ${report.counts.added ? 'in' : 'changed'}. It can be undone under “Delivered”.`;
    });
</script>

{#if problem}<ProblemNote {problem} />{/if}
{#if done}<p class="font-semibold" role="status">{done}</p>{/if}
<div class="grid grid-cols-2 gap-5">
  <form
    class="grid content-start gap-3 rounded-box border border-base-300 bg-base-100 p-4"
    onsubmit={(event) => {
      event.preventDefault();
      void putOrder();
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
          onchange={(event) => {
            source = event.currentTarget.value;
            void lookUp();
          }}
        />
      </label>
      <datalist id="known-sources"
        >{#each sources as name (name)}<option value={name}></option>{/each}</datalist
      >
      <label>
        order number
        <input class="input input-sm" required bind:value={order.number} onchange={lookUp} />
      </label>
      <label
        >customer number or e-mail<input class="input input-sm" required bind:value={order.customer} /></label
      >
      <label
        >date<input class="input input-sm" required bind:value={order.date} placeholder="2026-10-31" /></label
      >
      <label
        >amount<input class="input input-sm" required bind:value={order.amount} placeholder="120.50" /></label
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
      <button class="btn btn-primary btn-sm">{known ? 'Correct it' : 'Add it'}</button>
      {#if known && known.status !== 'cancelled'}
        <button type="button" class="btn btn-sm" onclick={cancelOrder}>Cancel the order</button>
      {/if}
    </div>
  </form>
  <form
    class="grid content-start gap-3 rounded-box border border-base-300 bg-base-100 p-4"
    onsubmit={(event) => {
      event.preventDefault();
      void putCustomer();
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
    <div><button class="btn btn-primary btn-sm">Put it in</button></div>
  </form>
</div>

<style>
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.6rem 0.9rem;
  }
  .fields label {
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
