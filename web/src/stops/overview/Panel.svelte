<script lang="ts">
  import { said } from '$lib/format/reader';
  import { address } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import { date } from '$lib/format/dates';
  import { searchOf } from '$lib/search';
  import Course from '$src/charts/Course.svelte';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import { question } from '$lib/question.svelte';
  import BackupNote from '$src/notes/BackupNote.svelte';
  import Words from './Words.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: Schemas['SummaryShape'];
  }
  let { book, answer }: Props = $props();

  function visitList(name: string): void {
    const query = address.reading;
    query.set('list', name);
    query.delete('list_as');
    query.set('view', 'worked');
    address.visit(book.id, 'followup', query);
  }
  const ago = (days: number) => (days === 0 ? '' : `, ${counted(days, 'day')} before`);
</script>

<h2 class="text-lg">Sources</h2>
<dl class="grid grid-cols-[1fr_auto] gap-x-3 text-sm">
  {#each answer.sources as source (source.name)}
    <dt>{source.name}</dt>
    <dd class="text-right">{date(source.latest_date)}<span class="quiet">{ago(source.days_ago)}</span></dd>
  {/each}
</dl>
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Check this</h2>
{#if answer.looks.length > 0}
  <ul class="text-sm">
    {#each answer.looks as look, at (at)}
      <li class="border-b border-base-300 py-1">
        <Words book={book.id} words={[{ text: look.what, stop: look.stop, query: look.query }]} />
        <span class="quiet block">{said(look.why)}</span>
        {#if look.bound !== null && look.course.length > 1}
          <Course
            course={look.course}
            bound={look.bound}
            words="{look.what}, by month, and its bound {look.bound}"
          />
        {/if}
      </li>
    {/each}
  </ul>
{:else}
  <p class="quiet text-sm">Nothing needs attention.</p>
{/if}
<p class={['mt-2 text-sm', answer.identities_hold ? 'text-success' : 'text-error']}>
  {answer.identities}
  <Words book={book.id} words={[{ text: 'Count everything again', stop: 'checks', query: {} }]} />
</p>
<BackupNote onlyOld />
{#if answer.lists.length > 0}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Lists</h2>
  <ul class="text-sm">
    {#each answer.lists as list (list.name)}
      <li class="flex justify-between gap-3">
        <button class="word text-sm" onclick={() => visitList(list.name)}>{list.name}</button>
        <span class="quiet">{counted(list.customers, 'customer')}</span>
      </li>
    {/each}
  </ul>
{/if}
<p class="mt-3 flex flex-wrap gap-2 not-printed">
  <button class="btn btn-sm btn-primary" onclick={() => address.visit(book.id, 'import')}
    >Import a file</button
  >
  <DownloadButton
    file="/api/books/{book.id}/ask/summary/letter?{searchOf(question.query)}"
    accept="text/html"
    look="btn btn-sm">Download as a letter</DownloadButton
  >
</p>
