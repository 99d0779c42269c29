<script lang="ts">
  import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';
  import ProblemNote from '$src/frame/ProblemNote.svelte';

  let { book, page }: { book: number; page: Schemas['CustomerShape'] } = $props();
  let opened = $state<number | null>(null);
  let lines = $state.raw<Schemas['LineShape'][]>([]);
  let problem = $state.raw<Problem>();
  const latestFirst = $derived([...page.orders].reverse());
  const tells = $derived({
    category: page.orders.some((each) => each.category),
    channel: page.orders.some((each) => each.order.channel),
    rep: page.orders.some((each) => each.order.rep),
  });

  async function open(order: number): Promise<void> {
    if (opened === order) {
      opened = null;
      return;
    }
    const path = { book, customer: page.customer, order };
    try {
      const found = await told(
        api.GET('/api/books/{book}/threads/customers/{customer}/orders/{order}/lines', { params: { path } }),
      );
      problem = undefined;
      lines = found.lines;
      opened = order;
    } catch (error) {
      problem = problemOf(error);
    }
  }
</script>

{#if problem}<ProblemNote {problem} />{/if}
<!-- a scrolled table must be reachable by keyboard -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="min-h-24 flex-1 overflow-y-auto" tabindex="0" role="region" aria-label="Orders, latest first">
  <table class="w-full text-[0.9375rem]">
    <thead class="quiet text-left text-sm">
      <tr>
        <th class="number">Rank</th><th>Date</th><th>Number</th><th>Source</th>
        {#if tells.channel}<th>Channel</th>{/if}
        {#if tells.rep}<th>Sales rep</th>{/if}
        {#if tells.category}<th>Category</th>{/if}
        <th class="number" title="Days since the order before">Gap in days</th><th class="number">Amount</th>
      </tr>
    </thead>
    <tbody>
      {#each latestFirst as each (each.id)}
        <tr class:dimmed={!each.shown}>
          <td class="number quiet">{count(each.rank)}</td>
          <td>{date(each.order.date)}</td>
          <td>
            <button class="word" aria-expanded={opened === each.id} onclick={() => open(each.id)}
              >{each.order.number}</button
            >{#if each.order.status !== 'paid'}<span class="quiet"> {each.order.status}</span>{/if}
          </td>
          <td>{each.order.source}</td>
          {#if tells.channel}<td>{each.order.channel || '—'}</td>{/if}
          {#if tells.rep}<td>{each.order.rep || '—'}</td>{/if}
          {#if tells.category}<td>{each.category || '—'}</td>{/if}
          <td class="number">{each.gap === null ? '—' : count(each.gap)}</td>
          <td class="number">{money(each.order.amount)}</td>
        </tr>
        {#if opened === each.id}
          <tr>
            <td></td>
            <td colspan="8" class="text-sm">
              {#if lines.length === 0}
                <span class="quiet">The source gives this order as a whole, without lines.</span>
              {:else}
                <ul aria-label="Lines of {each.order.number}">
                  {#each lines as line, at (at)}
                    <li class="flex justify-between gap-4">
                      <span
                        >{line.quantity ? `${line.quantity} × ` : ''}{line.product || `line ${line.number}`}
                        <span class="quiet">{line.category}</span></span
                      ><span>{money(line.amount)}</span>
                    </li>
                  {/each}
                </ul>
              {/if}
            </td>
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
</div>

<style>
  th,
  td {
    padding: 3px 10px 3px 0;
    border-bottom: 1px solid color-mix(in oklab, var(--color-base-300) 60%, transparent);
    white-space: nowrap;
  }
  th:last-child,
  td:last-child {
    padding-right: 4px;
  }
  thead th {
    position: sticky;
    top: 0;
    background: var(--color-base-200);
    font-weight: 400;
  }
  .number {
    text-align: right;
  }
</style>
