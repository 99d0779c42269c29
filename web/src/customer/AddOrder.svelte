<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, problemOf, told, type Problem } from '$lib/api/client';
  import ProblemNote from '$src/frame/ProblemNote.svelte';

  interface Props {
    book: number;
    customer: string;
    /** The source of the latest order. */
    usual: string;
    onclose: () => void;
  }
  let { book, customer, usual, onclose }: Props = $props();
  const client = useQueryClient();
  const path = $derived({ book });
  const summary = createQuery(() => ({
    queryKey: ['book', book],
    queryFn: () => told(api.GET('/api/books/{book}', { params: { path } })),
  }));
  const today = new Date().toISOString().slice(0, 10);
  const none = { number: '', date: today, amount: '', rep: '', channel: '' };
  let source = $state('');
  let order = $state({ ...none });
  let problem = $state.raw<Problem>();
  let done = $state('');
  const sources = $derived(summary.data?.sources ?? []);
  const chosen = $derived(source || usual || sources[0] || '');

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    try {
      const body = { ...order, source: chosen, customer, status: 'paid' as const };
      // an order of this number that is there already must not be overwritten
      const headers = { 'If-Match': '"0"' };
      await told(api.POST('/api/books/{book}/orders', { params: { path }, headers, body }));
      problem = undefined;
      done = `Order ${order.number} is in. It can be undone under “Delivered”.`;
      order = { ...none };
      await client.invalidateQueries();
    } catch (error) {
      problem = problemOf(error);
    }
  }
</script>

<form class="mt-2 rounded-box border border-base-300 bg-base-100 p-3" onsubmit={add}>
  {#if problem}<ProblemNote {problem} />{/if}
  <div class="fields">
    <label>
      source
      <select
        class="select select-sm"
        value={chosen}
        onchange={(event) => (source = event.currentTarget.value)}
      >
        {#each sources as name (name)}<option>{name}</option>{/each}
      </select>
    </label>
    <label>order number<input class="input input-sm" required bind:value={order.number} /></label>
    <label
      >date<input class="input input-sm" required bind:value={order.date} placeholder="2026-10-31" /></label
    >
    <label
      >amount<input class="input input-sm" required bind:value={order.amount} placeholder="120.50" /></label
    >
    <label>sales rep<input class="input input-sm" bind:value={order.rep} /></label>
    <label>channel<input class="input input-sm" bind:value={order.channel} /></label>
  </div>
  <div class="mt-2 flex items-center gap-3">
    <button class="btn btn-primary btn-sm">Put it in</button>
    <button type="button" class="btn btn-ghost btn-sm" onclick={onclose}>Done</button>
    {#if done}<span class="text-sm" role="status">{done}</span>{/if}
  </div>
</form>

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(6, minmax(0, 1fr));
    gap: 0.5rem;
  }
  .fields label {
    display: grid;
    gap: 0.1rem;
    font-size: 0.875rem;
  }
  .fields .input,
  .fields .select {
    width: 100%;
  }
</style>
