<script lang="ts">
  import { address, addressOf, followed } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';
  import { said } from '$lib/format/reader';
  import Words from './Words.svelte';

  interface Props {
    finding: Schemas['FindingShape'];
    /** The address of its picture. */
    picture: string;
    /** Where what is pinned is asked; null for words, and where nobody may go there. */
    there: { book: number; stop: string; query: URLSearchParams } | null;
  }
  /** What a finding says: its picture or table, its words, and its figure, now and when it was pinned. */
  let { finding, picture, there }: Props = $props();
</script>

{#snippet notes()}
  {#each finding.notes as note, at (at)}
    <p class={['text-sm', finding.changed ? 'font-semibold' : 'quiet']}>{said(note)}</p>
  {/each}
{/snippet}

<div class="flex flex-col gap-x-6 gap-y-2 lg:flex-row">
  {#if finding.picture_width > 0}
    <img
      src={picture}
      alt={said(finding.sentence)}
      class="h-auto w-full max-w-80 shrink-0 self-start lg:w-72"
      width={finding.picture_width}
      height={finding.picture_height}
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
    {#if finding.pinned}
      <p class="quiet mt-1 text-sm">
        {#if there}<a
            class="word font-normal"
            href={addressOf(there.book, there.stop, there.query)}
            onclick={(event) => followed(event, () => address.visit(there.book, there.stop, there.query))}
            >{said(finding.sentence) || 'its view'}</a
          >{:else}{said(finding.sentence)}{/if}
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
