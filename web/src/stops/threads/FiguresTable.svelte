<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';

  interface Props {
    answer: Schemas['FiguresShape'];
    group: string;
    onnarrow: (condition: string) => void;
    onopen: (customer: number) => void;
  }
  let { answer, group, onnarrow, onopen }: Props = $props();
  const parts = $derived(
    answer.rest.length > 0
      ? [
          { title: 'In hand', groups: answer.groups },
          { title: 'The rest', groups: answer.rest },
        ]
      : [{ title: '', groups: answer.groups }],
  );
  const most = $derived(Math.max(1, ...[...answer.groups, ...answer.rest].map((each) => each.orders)));
</script>

<div class="min-h-0 flex-1 overflow-auto">
  <table class="w-full">
    <thead class="quiet text-left text-sm">
      <tr>
        <th>{group || 'Orders'}</th><th class="number">Customers</th><th class="number">Orders</th><th></th>
        <th class="number">Sum</th><th class="number">Average</th><th class="number">Smallest</th>
        <th class="number">Largest</th><th>Earliest</th><th>Latest</th>
      </tr>
    </thead>
    {#each parts as part (part.title)}
      <tbody>
        {#if part.title}<tr><th colspan="10" class="pt-3 text-left">{part.title}</th></tr>{/if}
        {#each part.groups as each (each.label)}
          <tr>
            <th class="text-left font-semibold">
              {#if each.open !== null}
                {@const condition = each.open}
                <button class="word" onclick={() => onnarrow(condition)}>{each.label || 'not told'}</button>
              {:else}all orders{/if}
            </th>
            <td class="number">{count(each.customers)}</td>
            <td class="number">{count(each.orders)}</td>
            <td class="w-28"><span class="bar" style:width="{(100 * each.orders) / most}%"></span></td>
            <td class="number">{money(each.revenue)}</td>
            <td class="number">{money(each.average)}</td>
            {#each [each.smallest, each.largest] as extreme, place (place)}
              <td class="number">
                <button
                  class="word"
                  title="{extreme.order.source} {extreme.order.number}, {extreme.name}, {date(
                    extreme.order.date,
                  )}"
                  onclick={() => onopen(extreme.customer)}>{money(extreme.order.amount)}</button
                >
              </td>
            {/each}
            <td>{date(each.first_date)}</td>
            <td>{date(each.latest_date)}</td>
          </tr>
        {:else}
          <tr><td colspan="10" class="quiet py-3">No order meets what the reading line asks for.</td></tr>
        {/each}
        {#if answer.total && !part.title}
          {@const all = answer.total}
          <tr class="total" title="Counted afresh: a customer of two groups is one customer">
            <th class="text-left font-semibold">all together</th>
            <td class="number">{count(all.customers)}</td>
            <td class="number">{count(all.orders)}</td>
            <td></td>
            <td class="number">{money(all.revenue)}</td>
            <td class="number">{money(all.average)}</td>
            <td class="number">{money(all.smallest.order.amount)}</td>
            <td class="number">{money(all.largest.order.amount)}</td>
            <td>{date(all.first_date)}</td>
            <td>{date(all.latest_date)}</td>
          </tr>
        {/if}
      </tbody>
    {/each}
  </table>
</div>

<style>
  th,
  td {
    padding: 5px 10px 5px 0;
    border-bottom: 1px solid color-mix(in oklab, var(--color-base-300) 60%, transparent);
    white-space: nowrap;
  }
  .number {
    text-align: right;
  }
  .total > * {
    border-top: 2px solid var(--color-base-300);
  }
  .bar {
    display: block;
    height: 9px;
    background: var(--ramp-6);
  }
</style>
