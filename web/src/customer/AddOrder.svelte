<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { todayIn } from '$lib/format/dates';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  interface Props {
    book: Schemas['BookShape'];
    customer: string;
    /** The source of the latest order. */
    usual: string;
    onclose: () => void;
  }
  let { book, customer, usual, onclose }: Props = $props();
  const path = $derived({ book: book.id });
  const summary = createQuery(() => ({
    queryKey: ['book', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}', { params: { path } })),
  }));
  // svelte-ignore state_referenced_locally
  const none = { number: '', date: todayIn(book.time_zone), amount: '', rep: '', channel: '' };
  let source = $state('');
  let order = $state({ ...none });
  let done = $state('');
  const sources = $derived(summary.data?.sources ?? []);
  const chosen = $derived(source || usual || sources[0] || '');

  const add = useChange(
    () =>
      answerOf(
        api.POST('/api/books/{book}/orders', {
          params: { path },
          // an order of this number that is there already must not be overwritten
          headers: { 'If-Match': '"0"' },
          body: { ...order, source: chosen, customer, status: 'paid' },
        }),
      ),
    () => {
      done = `Order ${order.number} is in. It can be undone under “Delivered”.`;
      order = { ...none };
    },
  );
</script>

<form
  class="card card-border mt-2 block bg-base-100 p-3"
  onsubmit={(event) => {
    event.preventDefault();
    done = '';
    void add.run(undefined);
  }}
>
  {#if add.problem}<ProblemNote problem={add.problem} />{/if}
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
    <button class="btn btn-primary btn-sm" disabled={add.pending}>Save order</button>
    <button type="button" class="btn btn-ghost btn-sm" onclick={onclose}>Done</button>
    {#if done}<span class="text-sm" role="status">{done}</span>{/if}
  </div>
</form>

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(7.5rem, 1fr));
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
