<script lang="ts" module>
  import { todayIn } from '$lib/format/dates';

  export interface Draft {
    source: string;
    number: string;
    date: string;
    amount: string;
    rep: string;
    channel: string;
  }

  /** An order of today of which nothing is said yet. */
  export function noOrder(timeZone: string): Draft {
    return { source: '', number: '', date: todayIn(timeZone), amount: '', rep: '', channel: '' };
  }
</script>

<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { written } from '$lib/format/reader';
  import DateInput from '$src/menus/DateInput.svelte';
  import NumberInput from '$src/menus/NumberInput.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  interface Props {
    book: Schemas['BookShape'];
    customer: string;
    /** The source of the latest draft. */
    usual: string;
    /** What is typed so far. */
    draft: Draft;
    onclose: () => void;
  }
  let { book, customer, usual, draft = $bindable(), onclose }: Props = $props();
  const id = $props.id();
  const path = $derived({ book: book.id });
  const summary = createQuery(() => ({
    queryKey: ['book', book.id],
    queryFn: () => answerOf(api.GET('/api/books/{book}', { params: { path } })),
  }));
  let done = $state('');
  const sources = $derived(summary.data?.sources ?? []);
  const chosen = $derived(draft.source || usual || sources[0] || '');

  const add = useChange(
    () =>
      answerOf(
        api.POST('/api/books/{book}/orders', {
          params: { path },
          // an order of this number that is there already must not be overwritten
          headers: { 'If-Match': '"0"' },
          body: { ...draft, source: chosen, customer, status: 'paid' },
        }),
      ),
    () => {
      done = `Order ${draft.number} is in. It can be undone under “Delivered”.`;
      draft = noOrder(book.time_zone);
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
        onchange={(event) => (draft.source = event.currentTarget.value)}
      >
        {#each sources as name (name)}<option>{name}</option>{/each}
      </select>
    </label>
    <label>order number<input class="input input-sm" required bind:value={draft.number} /></label>
    <div class="field">
      <label for="{id}-date">date</label><DateInput
        id="{id}-date"
        required
        bind:value={draft.date}
        look="input-sm w-full"
      />
    </div>
    <label
      >amount<NumberInput
        bind:value={draft.amount}
        required
        placeholder={written('120.50')}
        look="input-sm"
      /></label
    >
    <label>sales rep<input class="input input-sm" bind:value={draft.rep} /></label>
    <label>channel<input class="input input-sm" bind:value={draft.channel} /></label>
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
  .fields label,
  .field {
    display: grid;
    gap: 0.1rem;
    font-size: 0.875rem;
  }
  .fields .input,
  .fields .select {
    width: 100%;
  }
</style>
