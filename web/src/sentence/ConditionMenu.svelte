<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, answerOf, problemOf, type Schemas } from '$lib/api/client';
  import { said } from '$lib/format/reader';
  import DateInput from '$src/menus/DateInput.svelte';
  import NumberInput from '$src/menus/NumberInput.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import ConditionText from './ConditionText.svelte';
  import { comparisons, DATED, DATED_WAYS, written, writtenDated } from './conditions';

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
  /** Groups that must all hold; of a group one condition at least. */
  const groups = $derived(
    (checked.data?.parts ?? []).map((part) => (part.alternatives.length > 0 ? part.alternatives : [part])),
  );
  const error = $derived(checked.data?.error);
  /** Until it is known what the text says, nothing can be added to it. */
  const isKnown = $derived(text.trim() === '' || (checked.data !== undefined && !error));
  /** The group to which a condition is added with or; none where it becomes one of its own. */
  let joins = $state<number | null>(null);
  let chosen = $state('');
  let compare = $state('=');
  let value = $state('');
  let first = $state('');
  let last = $state('');
  let typed = $state(false);
  const field = $derived(fields.data?.fields.find((each) => each.name === chosen));
  const ways = $derived(field ? comparisons(field.kind) : []);
  const way = $derived(ways.find((each) => each.value === compare) ?? ways[0]);

  function take(field: Schemas['FieldChoiceShape']): void {
    chosen = field.name;
    compare = comparisons(field.kind)[0]?.value ?? '=';
    value = field.values[0] ?? '';
  }

  const isNumber = $derived(field !== undefined && !['text', 'label', 'date'].includes(field.kind));

  function add(event: SubmitEvent): void {
    event.preventDefault();
    if (!isKnown) return;
    const added =
      chosen === DATED
        ? writtenDated(compare, first, last)
        : field && way && written(field, way.value, value);
    if (!added) return;
    const texts = groups.map((group) => group.map((each) => each.text));
    choose(
      joins === null
        ? [...texts, [added]]
        : texts.map((group, at) => (at === joins ? [...group, added] : group)),
    );
    chosen = '';
    joins = null;
  }

  function choose(texts: string[][]): void {
    const kept = texts.filter((group) => group.length > 0);
    onchoose(
      kept
        .map((group) =>
          group.length > 1 && kept.length > 1 ? `(${group.join(' OR ')})` : group.join(' OR '),
        )
        .join(' AND '),
    );
  }

  const without = (at: number, nth: number) =>
    choose(
      groups.map((group, place) =>
        group.filter((_, other) => place !== at || other !== nth).map((each) => each.text),
      ),
    );
</script>

<div class="grid w-[560px] max-w-full gap-3 p-1 text-[0.9375rem]">
  {#if groups.length > 0}
    <ul class="grid gap-1" aria-label="Conditions in force">
      {#each groups as group, at (at)}
        <li class="grid gap-1" class:in-group={group.length > 1}>
          {#each group as each, nth (nth)}
            <span class="flex items-center justify-between gap-3">
              <span>{nth > 0 ? 'or ' : at > 0 ? 'and ' : ''}{said(each.words)}</span>
              <span class="flex gap-2">
                {#if nth === group.length - 1}
                  <button
                    class="btn btn-xs"
                    aria-pressed={joins === at}
                    aria-label="Or, beside {each.words}"
                    onclick={() => (joins = joins === at ? null : at)}>or …</button
                  >
                {/if}
                <button class="btn btn-xs" aria-label="Remove: {each.words}" onclick={() => without(at, nth)}
                  >Remove</button
                >
              </span>
            </span>
          {/each}
        </li>
      {/each}
    </ul>
  {/if}
  {#if checked.error}
    <ProblemNote problem={problemOf(checked.error)} />
    <p><button class="btn btn-sm" onclick={() => void checked.refetch()}>Try again</button></p>
  {:else if error}
    <p role="alert" class="text-sm text-error">
      {error.detail}
      {error.remedy} Write it anew as text, or take it away; nothing is added to it as it is.
    </p>
  {/if}
  {#each checked.data?.hints ?? [] as hint, at (at)}<p class="text-sm text-warning">{hint}</p>{/each}
  {#if typed}
    <ConditionText {book} {text} {onchoose} />
  {:else}
    <form class="flex flex-wrap items-start gap-2" onsubmit={add}>
      {#if joins !== null}<span class="self-center">or</span>{/if}
      <select
        class="select select-sm w-44"
        aria-label={joins === null ? 'Field' : 'Field of the other condition'}
        value={chosen}
        onchange={(event) => {
          const name = event.currentTarget.value;
          const found = fields.data?.fields.find((each) => each.name === name);
          if (found) take(found);
          else [chosen, compare] = [name, DATED_WAYS[0]?.value ?? ''];
        }}
      >
        <option value="" disabled>a field</option>
        {#each ['order', 'customer'] as level (level)}
          <optgroup label={level === 'order' ? 'of the order' : 'of the customer or its first order'}>
            {#each (fields.data?.fields ?? []).filter((each) => each.level === level) as each (each.name)}
              <option value={each.name}>{each.title}</option>
            {/each}
            {#if level === 'customer'}<option value={DATED}>orders between two dates</option>{/if}
          </optgroup>
        {/each}
      </select>
      {#if chosen === DATED}
        <select class="select select-sm w-36" aria-label="Comparison" bind:value={compare}>
          {#each DATED_WAYS as each (each.value)}<option value={each.value}>{each.label}</option>{/each}
        </select>
        <span class="flex items-center gap-2">
          from <DateInput label="First day" required bind:value={first} look="input-sm w-32" />
        </span>
        <span class="flex items-center gap-2">
          to <DateInput label="Last day" required bind:value={last} look="input-sm w-32" />
        </span>
        <button class="btn btn-sm btn-primary" disabled={!isKnown}
          >{joins === null ? 'Add' : 'Add with or'}</button
        >
      {:else if field}
        <select class="select select-sm w-36" aria-label="Comparison" bind:value={compare}>
          {#each ways as each (each.value)}<option value={each.value}>{each.label}</option>{/each}
        </select>
        {#if way?.needsValue}
          {#if field.values.length > 0 && !way.free}
            <select class="select select-sm w-40" aria-label="Value" bind:value>
              {#each field.values as each (each)}<option>{each}</option>{/each}
            </select>
          {:else}
            {#if isNumber}
              <NumberInput label="Value" required bind:value look="input-sm w-36" />
            {:else if field.kind === 'date'}
              <DateInput label="Value" required bind:value look="input-sm w-36" />
            {:else}
              <input
                class="input input-sm w-36"
                aria-label="Value"
                required
                maxlength="200"
                type="text"
                bind:value
              />
            {/if}
          {/if}
        {/if}
        <button class="btn btn-sm btn-primary" disabled={!isKnown}
          >{joins === null ? 'Add' : 'Add with or'}</button
        >
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

<style>
  .in-group {
    border-left: 2px solid var(--color-base-300);
    padding-left: 0.5rem;
  }
</style>
