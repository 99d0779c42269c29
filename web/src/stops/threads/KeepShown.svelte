<script lang="ts">
  import { api, answerOf, type Schemas } from '$lib/api/client';
  import KeepList from '$src/lists/KeepList.svelte';
  import type { ListView } from './question.svelte';

  interface Props {
    book: number;
    view: ListView;
    query: Record<string, string | string[]>;
    list: Schemas['ListShape'];
  }
  let { book, view, query, list }: Props = $props();
</script>

<KeepList
  customers={view === 'orders' ? list.tally.with_orders : list.count}
  name={list.list_name}
  keep={(name) =>
    answerOf(
      api.POST(`/api/books/{book}/ask/${view}/list`, {
        params: { path: { book }, query },
        body: { name, hold_back: 0 },
      }),
    )}
  instead={{ where: null, firsts: null }}
/>
