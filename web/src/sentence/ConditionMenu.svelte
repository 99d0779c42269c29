<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import ConditionText from './ConditionText.svelte';
  import { comparisons, written } from './conditions';

  interface Props {
    book: number;
    text: string;
    onchoose: (text: string) => void;
  }
  let { book, text, onchoose }: Props = $props();
  const path = $derived({ book });
  const fields = createQuery(() => ({
    queryKey: ['fields', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/fields', { params: { path } })),
  }));
  const checked = createQuery(() => ({
    queryKey: ['condition', book, text],
    queryFn: () => answerOf(api.GET('/api/books/{book}/condition', { params: { path, query: { text } } })),
  }));
  const parts = $derived(checked.data?.parts ?? []);
  let chosen = $state('');
  let compare = $state('=');
  let value = $state('');
  let typed = $state(false);
  const field = $derived(fields.data?.fields.find((each) => each.name === chosen));
  const ways = $derived(field ? comparisons(field.kind) : []);
  const way = $derived(ways.find((each) => each.value === compare) ?? ways[0]);

  function take(field: Schemas['FieldChoiceShape']): void {
    chosen = field.name;
    compare = comparisons(field.kind)[0]?.value ?? '=';
    value = field.values[0] ?? '';
  }

  function add(event: SubmitEvent): void {
    event.preventDefault();
    if (!field || !way) return;
    onchoose([...parts.map((part) => part.text), written(field, way.value, value)].join(' AND '));
    chosen = '';
  }

  const without = (at: number) =>
    onchoose(
      parts
        .filter((_, place) => place !== at)
        .map((part) => part.text)
        .join(' AND '),
    );
</script>

<div class="grid w-[560px] max-w-full gap-3 p-1 text-[0.9375rem]">
  {#if parts.length > 0}
    <ul class="grid gap-1" aria-label="Conditions in force">
      {#each parts as part, at (part.text)}
        <li class="flex items-center justify-between gap-3">
          <span>{at > 0 ? 'and ' : ''}{part.words}</span>
          <button class="btn btn-xs" aria-label="Remove: {part.words}" onclick={() => without(at)}
            >Remove</button
          >
        </li>
      {/each}
    </ul>
  {/if}
  {#each checked.data?.hints ?? [] as hint (hint)}<p class="text-sm text-warning">{hint}</p>{/each}
  {#if typed}
    <ConditionText {book} {text} {onchoose} />
  {:else}
    <form class="flex flex-wrap items-center gap-2" onsubmit={add}>
      <select
        class="select select-sm w-44"
        aria-label="Field"
        value={chosen}
        onchange={(event) => {
          const found = fields.data?.fields.find((each) => each.name === event.currentTarget.value);
          if (found) take(found);
        }}
      >
        <option value="" disabled>a field</option>
        {#each ['order', 'customer'] as level (level)}
          <optgroup label={level === 'order' ? 'of the order' : 'of the customer or its first order'}>
            {#each (fields.data?.fields ?? []).filter((each) => each.level === level) as each (each.name)}
              <option value={each.name}>{each.title}</option>
            {/each}
          </optgroup>
        {/each}
      </select>
      {#if field}
        <select class="select select-sm w-36" aria-label="Comparison" bind:value={compare}>
          {#each ways as each (each.value)}<option value={each.value}>{each.label}</option>{/each}
        </select>
        {#if way?.needsValue}
          {#if field.values.length > 0 && !way.free}
            <select class="select select-sm w-40" aria-label="Value" bind:value>
              {#each field.values as each (each)}<option>{each}</option>{/each}
            </select>
          {:else}
            <input
              class="input input-sm w-36"
              aria-label="Value"
              required
              type={field.kind === 'date' ? 'date' : 'text'}
              inputmode={field.kind === 'text' || field.kind === 'label' ? 'text' : 'decimal'}
              bind:value
            />
          {/if}
        {/if}
        <button class="btn btn-sm btn-primary">Add</button>
      {/if}
    </form>
  {/if}
  <p class="flex gap-4 text-sm">
    <button class="word" onclick={() => (typed = !typed)}
      >{typed ? 'word by word' : 'write it as text (CQL2)'}</button
    >
    {#if text}<button class="word" onclick={() => onchoose('')}>no filter</button>{/if}
  </p>
</div>
