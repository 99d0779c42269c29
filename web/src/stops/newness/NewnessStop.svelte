<script lang="ts">
  import { useAnswer } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { evidenceOf } from '$src/evidence/source';
  import NothingRead from '$src/frame/NothingRead.svelte';
  import QuestionPage from '$src/frame/QuestionPage.svelte';
  import NewnessChart from './NewnessChart.svelte';
  import NewnessSplit from './NewnessSplit.svelte';
  import NewnessTable from './NewnessTable.svelte';
  import Totals from './Totals.svelte';
  import { openedFigure, question, type Side } from './question.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();

  const asked = useAnswer('newness', () => ({ book: book.id, query: question.query }));
  const answer = $derived(asked.answer);
  const bookId = $derived(book.id);
  const opened = $derived(openedFigure());
  const evidence = $derived(opened && evidenceOf(bookId, 'newness', { ...question.figures, ...opened }));
  const open = (at: string, side: Side, group = '') => question.open(at, side, group);
</script>

<QuestionPage
  book={book.id}
  stop="newness"
  {asked}
  {question}
  tables={[{ file: `/api/books/${book.id}/ask/newness/file`, query: question.query, label: '' }]}
  name="new-and-returning-by-{answer?.period ?? ''}"
  {evidence}
>
  {#snippet drawing()}
    {#if answer?.periods.length === 0}
      <NothingRead />
    {:else if answer?.groups.length}
      <NewnessSplit {answer} isTable={answer.view === 'table'} onopen={open} />
    {:else if answer?.view === 'table'}
      <NewnessTable {answer} onopen={open} />
    {:else if answer}
      <NewnessChart {answer} onopen={open} />
    {/if}
  {/snippet}
  {#snippet guide()}
    {#if answer && answer.periods.length > 0}<Totals {answer} onopen={open} />{/if}
  {/snippet}
</QuestionPage>
