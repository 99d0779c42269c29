<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import TypedWord from '$src/menus/TypedWord.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  /** Further columns of the files of orders, which can be renamed and hidden. */
  let { book }: { book: number } = $props();
  type Attribute = Schemas['AttributeShape'];
  const path = $derived({ book });
  const TYPES: Record<Attribute['type'], string> = {
    text: 'texts',
    number: 'numbers',
    date: 'dates',
    mark: 'yes or no',
  };
  const query = createQuery(() => ({
    queryKey: ['attributes', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/attributes', { params: { path } })),
  }));
  const listed = $derived(query.data?.attributes ?? []);
  const change = useChange((body: Schemas['AttributeBody']) =>
    answerOf(api.PATCH('/api/books/{book}/attributes', { params: { path }, body })),
  );
</script>

{#if listed.length > 0}
  <section class="card card-border block shrink-0 bg-base-100 p-4" aria-label="Attributes of orders">
    <h2 class="text-xl">Attributes of orders</h2>
    <p class="quiet text-sm">
      Further columns of the files. They group, split and filter everywhere; here they are renamed, or hidden.
    </p>
    {#if change.problem}<ProblemNote problem={change.problem} />{/if}
    <ul class="mt-2 grid gap-1">
      {#each listed as each (each.name)}
        <li class="flex items-baseline gap-3" class:quiet={each.hidden}>
          <TypedWord
            text={each.title}
            title="What “{each.name}” is called"
            chosen={each.title}
            options={[{ value: each.name, label: each.name }]}
            typed={{ kind: 'text', label: 'another name' }}
            onchoose={(title) => change.run({ name: each.name, title, hidden: null })}
          />
          <span class="quiet text-sm"
            >{TYPES[each.type]}{each.title === each.name ? '' : `, column “${each.name}”`}</span
          >
          <button
            class="word ml-auto text-sm"
            aria-label="{each.hidden ? 'Offer' : 'Hide'} {each.title}"
            disabled={change.pending}
            onclick={() => change.run({ name: each.name, title: null, hidden: !each.hidden })}
            >{each.hidden ? 'offer again' : 'hide'}</button
          >
        </li>
      {/each}
    </ul>
  </section>
{/if}
