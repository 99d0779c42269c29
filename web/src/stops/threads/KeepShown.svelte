<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import { keepOf } from '$src/evidence/source';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import KeepList from '$src/lists/KeepList.svelte';

  interface Props {
    book: Schemas['BookShape'];
    name: string;
    answer: Schemas['ListShape'];
  }
  let { book, name, answer }: Props = $props();
  const columns = $derived(answer.controls.find((control) => control.name === 'show'));
  const shown = $derived({ book: book.id, question: name, query: question.query });
</script>

{#if columns}
  <WordMenu
    text="columns"
    title={columns.title}
    chosen={columns.chosen}
    options={columns.options}
    several
    onchoose={(names) => question.choose('show', names)}
  />
{/if}
<KeepList
  customers={name === 'orders' ? answer.tally.with_orders : answer.count}
  name={answer.list_name}
  keep={(called) => keepOf(shown, called)}
  instead={{ where: null, firsts: null }}
/>
