<script lang="ts">
  import { spoken } from '$lib/periods';
  import { said } from '$lib/format/reader';
  import type { Schemas } from '$lib/api/client';
  import { count, counted, money, percent } from '$lib/format/figures';
  import { question } from '$lib/question.svelte';
  import { NAMES } from '../standings';

  let { answer }: { answer: Schemas['StandingShape'] } = $props();

  const whole = $derived(answer.standings.reduce((sum, each) => sum + each.customers, 0));
  const boundary = $derived(said(answer.boundary.words));
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold">{count(whole)}</span>
  <span class="quiet font-semibold">customers on file</span>
</p>
<p class="text-sm">{boundary.charAt(0).toUpperCase()}{boundary.slice(1)}.</p>
<ul class="mt-2 grid gap-1 text-sm">
  {#each answer.standings as each (each.stands)}
    <li class="grid grid-cols-[1fr_auto_3rem] items-baseline gap-x-3">
      <button
        class="word justify-self-start"
        disabled={each.customers === 0}
        onclick={() => question.open(each.stands)}>{NAMES[each.stands]}</button
      >
      <span class="font-semibold">{count(each.customers)}</span>
      <span class="quiet text-right">{whole ? percent(each.customers / whole) : '—'} %</span>
      {#if each.customers > 0 && each.stands !== 'never_ordered' && each.stands !== 'none_counted'}
        <span class="quiet col-span-3">brought {money(each.revenue, true)} {answer.currency} so far</span>
      {/if}
    </li>
  {/each}
</ul>
<p class="quiet mt-1 text-sm">Everybody is in exactly one; together they are the customers on file.</p>
{#if answer.compared}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">Do the groups differ?</h2>
  <p class="text-sm">{said(answer.compared)}</p>
  <p class="quiet text-sm">Compared is the share of those who ordered that has lapsed.</p>
{/if}
{#if answer.over}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
  <p class="quiet text-sm">
    Every {spoken(answer.over.period)} ends as if its last day were the as-of date. Who began, is newly lapsed or
    was won back in between makes up the difference: nobody appears or goes for any other reason.
    {#if answer.over.undated > 0}
      {counted(answer.over.undated, 'customer')} say nothing of a date, and count as on file throughout.
    {/if}
  </p>
{/if}
