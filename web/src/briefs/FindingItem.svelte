<script lang="ts">
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { ROOT } from '$lib/root';
  import { seen } from '$lib/seen.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import FindingBody from './FindingBody.svelte';
  import FindingForm from './FindingForm.svelte';

  interface Props {
    book: number;
    brief: number;
    finding: Schemas['FindingShape'];
    mayEdit: boolean;
    /** Moves it up or down; undefined where there is nowhere to go. */
    onup: (() => void) | undefined;
    ondown: (() => void) | undefined;
  }
  let { book, brief, finding, mayEdit, onup, ondown }: Props = $props();
  let editing = $state(false);
  let removing = $state(false);
  /** The version that is being edited: somebody else may write another one meanwhile. */
  let version = $state(0);
  const path = $derived({ book, brief, finding: finding.id });
  const picture = $derived(
    `${ROOT}/api/books/${book}/briefs/${brief}/findings/${finding.id}/picture?at=${seen.now.revision ?? 0}-${finding.version}`,
  );
  const edit = useChange((body: Schemas['Written']) =>
    answerOf(
      api.PUT('/api/books/{book}/briefs/{brief}/findings/{finding}', {
        params: { path },
        body,
        headers: { 'If-Match': `"${version}"` },
      }),
    ),
  );
  const remove = useChange(() =>
    answerOf(api.DELETE('/api/books/{book}/briefs/{brief}/findings/{finding}', { params: { path } })),
  );
  const there = $derived(
    finding.pinned && {
      book,
      stop: finding.pinned['stop'] ?? '',
      query: new URLSearchParams(finding.pinned['query']),
    },
  );
</script>

<li class="finding border-t border-base-300 py-4" data-testid="finding">
  {#if editing}
    <FindingForm
      from={{ heading: finding.heading, words: finding.words, live: finding.live }}
      pinned={finding.pinned !== null}
      change={edit}
      words="Save finding"
      onclose={() => {
        editing = false;
        edit.reset();
      }}
    />
  {:else}
    <FindingBody {finding} {picture} {there} />
    {#if remove.problem}<ProblemNote problem={remove.problem} />{/if}
    {#if mayEdit}
      <p class="mt-1 flex flex-wrap gap-x-4 text-sm not-printed">
        {#if removing}
          remove it with its words?
          <button class="word text-error" disabled={remove.pending} onclick={() => remove.run(undefined)}
            >yes</button
          >
          <button class="word" onclick={() => (removing = false)}>no</button>
        {:else}
          <button
            class="word"
            onclick={() => {
              version = finding.version;
              editing = true;
            }}>edit</button
          >
          {#if onup}<button class="word" onclick={onup}>move up</button>{/if}
          {#if ondown}<button class="word" onclick={ondown}>move down</button>{/if}
          <button class="word" onclick={() => (removing = true)}>remove</button>
        {/if}
      </p>
    {/if}
  {/if}
</li>

<style>
  @media print {
    .finding {
      break-inside: avoid;
    }
    .finding:not(:last-child) {
      break-after: page;
    }
  }
</style>
