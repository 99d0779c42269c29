<script lang="ts">
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  interface Props {
    book: number;
    list: Schemas['CustomerListShape'];
    onclose: () => void;
  }
  let { book, list, onclose }: Props = $props();
  type Part = Schemas['PartBody'];
  const KINDS: Record<Schemas['PartKind'], { words: string; such: string }> = {
    whole: { words: 'the whole list', such: '' },
    letters: { words: 'by first letters', such: 'A-K' },
    attribute: { words: 'by an attribute', such: 'region=Coast' },
    every: { words: 'every n-th', such: '1/2' },
  };
  const path = $derived({ book, list: list.id });
  /** None before those on record are here: what is typed meanwhile would be lost, and saving would drop them. */
  let parts = $state<Part[]>();
  let failed = $state<unknown>();

  // svelte-ignore state_referenced_locally
  answerOf(api.GET('/api/books/{book}/lists/{list}/parts', { params: { path } })).then(
    (known) => (parts = known.parts.map(({ name, kind, value }) => ({ user: name, kind, value }))),
    (error: unknown) => (failed = error),
  );
  const divide = useChange(
    () =>
      answerOf(
        api.PUT('/api/books/{book}/lists/{list}/parts', { params: { path }, body: { parts: parts ?? [] } }),
      ),
    () => onclose(),
  );
  const problem = $derived(divide.problem ?? (failed ? problemOf(failed) : undefined));
</script>

<form
  class="mt-2 grid gap-2 border-l-2 border-base-300 pl-3 text-sm"
  onsubmit={(event) => {
    event.preventDefault();
    void divide.run(undefined);
  }}
>
  <p class="quiet">
    A caller sees their part of the list and nothing else of the book. Nobody is in two parts.
  </p>
  {#each parts ?? [] as part, at (at)}
    <p class="flex flex-wrap items-center gap-2">
      <input
        class="input input-xs w-32"
        aria-label="Account"
        placeholder="account"
        required
        maxlength="120"
        bind:value={part.user}
      />
      <select class="select select-xs w-36" aria-label="Which part" bind:value={part.kind}>
        {#each Object.entries(KINDS) as [kind, { words }] (kind)}<option value={kind}>{words}</option>{/each}
      </select>
      {#if part.kind !== 'whole'}
        <input
          class="input input-xs w-28"
          aria-label="Part"
          placeholder={KINDS[part.kind].such}
          required
          maxlength="255"
          bind:value={part.value}
        />
      {/if}
      <button type="button" class="word" onclick={() => parts?.splice(at, 1)}>remove</button>
    </p>
  {/each}
  {#if problem}<ProblemNote {problem} />{/if}
  <p class="flex gap-3">
    <button
      type="button"
      class="btn btn-xs"
      disabled={!parts}
      onclick={() => parts?.push({ user: '', kind: 'whole', value: '' })}>Add a caller</button
    >
    <button class="btn btn-primary btn-xs" disabled={!parts || divide.pending}>Save parts</button>
    <button type="button" class="word" onclick={onclose}>close</button>
  </p>
</form>
