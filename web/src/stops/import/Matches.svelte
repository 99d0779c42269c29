<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, problemOf, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { date } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  let { book }: { book: number } = $props();
  const SHOWN = 100;
  const path = $derived({ book });

  const sources = createQuery(() => ({
    queryKey: ['sources', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/sources', { params: { path } })),
  }));
  const duplicates = createQuery(() => ({
    queryKey: ['duplicates', book],
    queryFn: () =>
      answerOf(api.GET('/api/books/{book}/duplicates', { params: { path, query: { limit: SHOWN } } })),
  }));
  const shared = $derived(sources.data?.sources ?? []);

  const say = useChange(
    ({ duplicate, verdict }: { duplicate: Schemas['DuplicateShape']; verdict: Schemas['Verdict'] }) =>
      answerOf(
        api.POST('/api/books/{book}/matches', {
          params: { path },
          headers: { 'If-Match': `"${duplicate.version}"` },
          body: { customers: duplicate.customers.map((known) => known.id), verdict },
        }),
      ),
  );
</script>

{#if say.problem}<ProblemNote problem={say.problem} />{/if}
{#if shared.length > 1}
  <section>
    <h2 class="mb-1 text-lg">Customers that sources share</h2>
    <table class="text-right" data-testid="shared">
      <thead>
        <tr class="quiet text-sm">
          <th class="pr-6 text-left font-normal">ordered in</th>
          {#each shared as source (source.name)}
            <th scope="col" class="px-3 font-normal">also {source.name}</th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each shared as source, row (source.name)}
          <tr class="border-t border-base-300">
            <th scope="row" class="py-1 pr-6 text-left font-normal">{source.name}</th>
            {#each source.shared as many, column (column)}
              <td class="px-3" class:quiet={row === column}
                >{row === column ? `of ${count(many)}` : count(many)}</td
              >
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
{/if}
<section>
  <h2 class="mt-2 text-lg">Possible duplicates</h2>
  <p class="quiet mb-2 max-w-prose">
    One e-mail under two numbers, or one name in one town. Whatever is said of them is a line under
    “Delivered” and can be undone there.
  </p>
  {#if duplicates.error}<ProblemNote problem={problemOf(duplicates.error)} />{/if}
  {#if duplicates.data?.total === 0}<p>None at present.</p>{/if}
  <ul class="grid gap-2" data-testid="duplicates">
    {#each duplicates.data?.duplicates ?? [] as duplicate (duplicate.customers
      .map((known) => known.id)
      .join())}
      <li class="card card-border block bg-base-100 px-4 py-2.5">
        <p class="flex items-baseline gap-4">
          <span
            >{duplicate.likeness === 'email' ? 'The same e-mail' : 'The same name and town'}:
            <b class="font-semibold">{duplicate.alike}</b></span
          >
          <span class="ml-auto flex gap-4 text-sm">
            <button class="word" disabled={say.pending} onclick={() => say.run({ duplicate, verdict: 'one' })}
              >same customer</button
            >
            <button
              class="word"
              disabled={say.pending}
              onclick={() => say.run({ duplicate, verdict: 'apart' })}>different customers</button
            >
          </span>
        </p>
        <ul class="mt-1 grid gap-0.5 text-sm">
          {#each duplicate.customers as known (known.id)}
            <li>
              {known.name}{known.town ? `, ${known.town}` : ''}
              <span class="quiet"
                >· {known.keys.join(', ')} · {counted(known.orders, 'order')}{known.latest
                  ? `, latest ${date(known.latest)}`
                  : ''}</span
              >
            </li>
          {/each}
          {#if duplicate.customer_count > duplicate.customers.length}
            <li class="quiet">
              {count(duplicate.customer_count - duplicate.customers.length)} more look the same; they are shown
              once something is said of these
            </li>
          {/if}
        </ul>
      </li>
    {/each}
  </ul>
  {#if (duplicates.data?.total ?? 0) > SHOWN}
    <p class="quiet mt-1">The first {SHOWN} of {count(duplicates.data?.total ?? 0)}.</p>
  {/if}
</section>
