<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import { download } from '$lib/download';
  import type { Job } from '$lib/jobs';
  import Making from '$lib/Making.svelte';
  import { isTyping } from '$lib/keys';
  import ProblemNote from '$src/frame/ProblemNote.svelte';
  import WordMenu from '$src/sentence/WordMenu.svelte';
  import { searchOf } from '$lib/search';
  import type { View } from './threads.svelte';

  let { book, view, query }: { book: number; view: View; query: Record<string, string | string[]> } =
    $props();
  const client = useQueryClient();
  const FORMS = [
    { value: 'csv', label: 'CSV' },
    { value: 'xlsx', label: 'XLSX, with real dates and numbers' },
    { value: 'parquet', label: 'Parquet' },
  ];
  let problem = $state.raw<Problem>();
  let making = $state(false);
  let job = $state.raw<Job>();
  const holds = $derived(view === 'customers' || view === 'orders' || view === 'backdated');

  async function take(what: string, form: string): Promise<void> {
    const reading = what === 'every-order' ? address.choices([]) : query;
    problem = undefined;
    making = true;
    try {
      await download(
        `/api/books/${book}/threads/${what}/file?${searchOf(reading, { form })}`,
        (now) => (job = now),
      );
    } catch (error) {
      problem = problemOf(error);
    } finally {
      making = false;
      job = undefined;
    }
  }

  async function hold(): Promise<void> {
    if (!holds) return;
    const params = { path: { book }, query };
    try {
      const held: Schemas['HoldShape'] =
        view === 'orders'
          ? await told(api.POST('/api/books/{book}/threads/orders/hold', { params }))
          : view === 'backdated'
            ? await told(api.POST('/api/books/{book}/threads/backdated/hold', { params }))
            : await told(api.POST('/api/books/{book}/threads/customers/hold', { params }));
      problem = undefined;
      await client.invalidateQueries();
      address.change({ held: String(held.id), where: null, firsts: null });
    } catch (error) {
      problem = problemOf(error);
    }
  }

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'h' && !isTyping(event)) void hold();
  }
</script>

<svelte:window onkeydown={pressed} />
{#if problem}<ProblemNote {problem} />{/if}
<span class="flex items-center gap-4 text-sm whitespace-nowrap not-printed">
  {#if holds}
    <button class="word" onclick={hold}>hold these customers</button>
  {/if}
  <span>
    take <WordMenu
      text="this"
      title="This table as a file"
      chosen={[]}
      options={FORMS}
      onchoose={([form = 'csv']) => void take(view, form)}
    />
    or
    <WordMenu
      text="every order with its thread"
      title="Every order with rank, gap, firsts and totals, as a file"
      chosen={[]}
      options={FORMS}
      onchoose={([form = 'csv']) => void take('every-order', form)}
    />
    <Making {making} {job} />
  </span>
</span>
