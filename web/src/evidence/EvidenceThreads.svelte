<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { address, addressOf, followed } from '$lib/address.svelte';
  import { monthOf, span } from '$lib/format/dates';
  import { counted } from '$lib/format/figures';
  import { outside } from '$lib/outside.svelte';
  import type { Rows } from '$lib/answer.svelte';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { timeScale } from '$src/thread/smallThread';

  type Row = Schemas['ThreadShape'];
  interface Props {
    book: number;
    rows: Rows<Row>;
    opened: Schemas['OpenedShape'];
  }
  let { book, rows, opened }: Props = $props();

  const THREAD_WIDTH = 150;
  const columns: Column<Row>[] = [
    { name: 'customer', title: 'Customer', copied: (thread) => thread.name },
    {
      name: 'thread',
      title: 'Thread',
      width: THREAD_WIDTH + 10,
      copied: ({ orders, knots: [first, ...others] }) =>
        first
          ? `${counted(orders, 'order')}, ${span(first.date, others.at(-1)?.until ?? first.until)}`
          : 'no order',
    },
  ];
  const scale = $derived(timeScale(opened.first_date, opened.last_date, THREAD_WIDTH));

  function customerQuery(customer: number): URLSearchParams {
    const reading = address.reading;
    reading.set('customer', String(customer));
    return reading;
  }
</script>

<DataTable
  label="Customers and their threads"
  {columns}
  count={opened.customers}
  row={rows.row}
  want={rows.want}
  take={rows.take}
  question={opened.words}
  rowHeight={30}
>
  {#snippet head(column)}
    {#if column.name === 'thread'}
      <span class="flex justify-between"
        ><span>{monthOf(opened.first_date)}</span><span>{monthOf(opened.last_date)}</span></span
      >
    {:else}{column.title}{/if}
  {/snippet}
  {#snippet cell(thread, column)}
    {#if column.name === 'thread'}
      <SmallThread {thread} {scale} width={THREAD_WIDTH} large={opened.large_amount} />
    {:else if outside.link !== undefined}
      <span title="{thread.name} · {thread.key}">{thread.name}</span>
    {:else}
      <a
        class="hit hover:underline"
        title="{thread.name} · {thread.key}"
        href={addressOf(book, 'threads', customerQuery(thread.customer))}
        onclick={(event) =>
          followed(event, () => address.visit(book, 'threads', customerQuery(thread.customer)))}
        >{thread.name}</a
      >
    {/if}
  {/snippet}
</DataTable>
