<script lang="ts">
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { said } from '$lib/format/reader';
  import { ROOT } from '$lib/root';
  import { seen } from '$lib/seen.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import FindingForm from './FindingForm.svelte';
  import Words from './Words.svelte';

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
  const there = $derived.by(() => {
    if (!finding.pinned) return undefined;
    return { stop: finding.pinned['stop'] ?? '', query: new URLSearchParams(finding.pinned['query']) };
  });
</script>

{#snippet notes()}
  {#each finding.notes as note, at (at)}
    <p class={['text-sm', finding.changed ? 'font-semibold' : 'quiet']}>{said(note)}</p>
  {/each}
{/snippet}

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
    <div class="flex flex-col gap-x-6 gap-y-2 lg:flex-row">
      {#if finding.has_picture}
        <img
          src={picture}
          alt={said(finding.sentence)}
          class="w-full max-w-80 shrink-0 self-start lg:w-72"
          loading="lazy"
        />
      {/if}
      <div class="min-w-0 flex-1">
        {#if finding.heading}<h2 class="text-xl leading-7">{finding.heading}</h2>{/if}
        <Words blocks={finding.blocks} />
        {#if finding.columns.length > 0}
          <div class="mt-2 max-h-80 overflow-auto text-sm">
            <table class="table table-xs w-auto">
              <thead>
                <tr>
                  {#each finding.columns as { name, side }, at (at)}
                    <th scope="col" class:text-right={side === 'right'}>{name}</th>
                  {/each}
                </tr>
              </thead>
              <tbody>
                {#each finding.rows as row, place (place)}
                  <tr>
                    {#each row as cell, at (at)}
                      <td class={['whitespace-nowrap', finding.columns[at]?.side === 'right' && 'text-right']}
                        >{cell}</td
                      >
                    {/each}
                  </tr>
                {/each}
              </tbody>
            </table>
          </div>
        {/if}
        {#if there}
          <p class="quiet mt-1 text-sm">
            <a
              class="word font-normal"
              href={addressOf(book, there.stop, there.query)}
              onclick={(event) => followed(event, () => address.visit(book, there.stop, there.query))}
              >{said(finding.sentence) || 'its view'}</a
            >
            {finding.live ? 'Live.' : ''}
          </p>
          {#if !finding.figure}{@render notes()}{/if}
        {/if}
      </div>
      {#if finding.figure}
        <div class="w-full shrink-0 lg:w-56">
          <p class="font-serif text-3xl leading-tight font-semibold">{finding.figure}</p>
          <p class="text-sm">{said(finding.beside)}</p>
          {@render notes()}
          <p class="quiet text-sm">{said(finding.figure_words)}</p>
        </div>
      {/if}
    </div>
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
