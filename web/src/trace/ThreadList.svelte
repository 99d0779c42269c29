<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { address, addressOf } from '$lib/address.svelte';
  import SmallThread from '$src/thread/SmallThread.svelte';
  import { timeScale } from '$src/thread/threads';
  import type { Behind } from './behind.svelte';

  function customerQuery(customer: number): URLSearchParams {
    const reading = address.reading;
    reading.set('customer', String(customer));
    return reading;
  }

  function follow(event: MouseEvent, customer: number): void {
    if (event.metaKey || event.ctrlKey || event.shiftKey) return;
    event.preventDefault();
    address.visit(behind.book, 'threads', customerQuery(customer));
  }

  let { behind, head }: { behind: Behind; head: Schemas['OpenedShape'] } = $props();

  const ROW_HEIGHT = 30;
  const THREAD_WIDTH = 168;
  const MARGIN_ROWS = 6;
  let box = $state<HTMLElement>();
  let height = $state(0);
  let scrolled = $state(0);
  const from = $derived(Math.max(0, Math.floor(scrolled / ROW_HEIGHT) - MARGIN_ROWS));
  const to = $derived(Math.min(head.customers, Math.ceil((scrolled + height) / ROW_HEIGHT) + MARGIN_ROWS));
  const rows = $derived(Array.from({ length: Math.max(0, to - from) }, (_, at) => from + at));
  const scale = $derived(timeScale(head.first_date, head.last_date, THREAD_WIDTH));

  $effect(() => {
    void head;
    if (box) box.scrollTop = 0;
  });
  $effect(() => behind.want(from, to));
</script>

<!-- a scrolled list must be reachable by keyboard -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  bind:this={box}
  bind:clientHeight={height}
  class="min-h-0 flex-1 overflow-y-auto"
  tabindex="0"
  role="region"
  aria-label="Customers and their threads"
  onscroll={(event) => (scrolled = event.currentTarget.scrollTop)}
>
  <ol class="relative" style:height="{head.customers * ROW_HEIGHT}px">
    {#each rows as row (row)}
      {@const thread = behind.thread(row)}
      <li
        class="absolute inset-x-0 flex items-center justify-between gap-2"
        style:top="{row * ROW_HEIGHT}px"
        style:height="{ROW_HEIGHT}px"
        aria-setsize={head.customers}
        aria-posinset={row + 1}
      >
        {#if thread}
          <a
            class="truncate hover:underline"
            title="{thread.name} · {thread.key}"
            href={addressOf(behind.book, 'threads', customerQuery(thread.customer))}
            onclick={(event) => follow(event, thread.customer)}>{thread.name}</a
          >
          <span class="shrink-0"><SmallThread knots={thread.knots} {scale} width={THREAD_WIDTH} /></span>
        {:else}
          <span class="quiet">…</span>
        {/if}
      </li>
    {/each}
  </ol>
</div>
