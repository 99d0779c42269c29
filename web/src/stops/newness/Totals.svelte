<script lang="ts">
  import { spoken } from '$lib/periods';
  import { date } from '$lib/format/dates';
  import { count, nounFor } from '$lib/format/figures';
  import { question } from '$lib/question.svelte';
  import { change, exact, partsOf, share, say, type Newness } from './parts';

  let { answer }: { answer: Newness } = $props();

  const year = $derived(answer.year);
  const before = $derived(answer.year_before);
  const yearName = $derived(year.first_date.slice(0, 4));
  const rows: [string, 'new' | 'returning' | 'won_back'][] = [
    ['new', 'new'],
    ['returning', 'returning'],
    ['of these won back', 'won_back'],
  ];
  const stretches = $derived([
    { at: 'this_year', title: `${yearName} so far`, stretch: year, against: before },
    {
      at: 'all',
      title: `Everything, from ${date(answer.whole.first_date)} to ${date(answer.whole.last_date)}`,
      stretch: answer.whole,
      against: null,
    },
  ]);
</script>

<p>
  <span class="font-serif text-4xl leading-tight font-semibold">{count(year.customers.new)}</span>
  <span class="quiet font-semibold">new {nounFor(year.customers.new, 'customer')} in {yearName}</span>
</p>
<p class="text-sm">
  First order from {date(year.first_date)} to {date(year.last_date)}, both included.
  {#if before}
    <span class="quiet"
      >The same days a year earlier: {count(before.customers.new)} ({change(
        year.customers.new,
        before.customers.new,
      )}).</span
    >
  {/if}
</p>

{#each stretches as { at, title, stretch, against } (at)}
  {@const whole = partsOf(stretch, answer.measure)}
  {@const earlier = against ? partsOf(against, answer.measure) : null}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">{title}</h2>
  <dl class="mt-1 grid grid-cols-[1fr_auto_auto] gap-x-3 gap-y-0.5">
    {#each at === 'all' && answer.measure === 'customers' ? [] : rows as [label, side] (side)}
      <dt class:pl-4={side === 'won_back'}>{label}</dt>
      <dd class="text-right">
        <button class="hit font-semibold hover:underline" onclick={() => question.open(at, side)}
          >{exact(stretch, answer.measure, side)}</button
        >
      </dd>
      <dd class="quiet w-16 text-right">
        {share(side === 'won_back' ? whole.wonBack : whole[side], whole.total)}
      </dd>
    {/each}
    <dt class="font-semibold">{answer.measure === 'revenue' ? answer.currency : answer.measure} in all</dt>
    <dd class="text-right">
      <button class="hit font-semibold hover:underline" onclick={() => question.open(at, 'all')}
        >{say(whole.total, answer.measure)}</button
      >
    </dd>
    <dd></dd>
    {#if earlier}
      <dt class="quiet">the same days a year earlier</dt>
      <dd class="quiet text-right">{say(earlier.total, answer.measure)}</dd>
      <dd class="quiet text-right">{change(whole.total, earlier.total)}</dd>
    {/if}
  </dl>
{/each}
{#if answer.rest}
  {@const rest = partsOf(answer.rest, answer.measure)}
  <p class="mt-2 text-sm">
    Everybody else: {say(rest.total, answer.measure)}, {share(rest.new, rest.total)} of it new.
  </p>
{/if}
{#if answer.measure === 'customers'}
  <p class="quiet mt-2 text-sm">
    Customers are counted afresh in each stretch. They are not the sum of its {spoken(answer.period)}s: one
    customer can order in many. Who is new in one {spoken(answer.period)} is returning in the next.
  </p>
{/if}
{#if answer.cohorts_agree !== null}
  <p class="mt-2 text-sm" data-testid="cohorts-agree">
    {#if answer.cohorts_agree}
      <span class="font-semibold text-success">Agrees with Cohorts:</span> the new customers of every {spoken(
        answer.period,
      )}
      are the size of its cohort.
    {:else}
      <strong class="text-error">Check this:</strong> the new customers differ from the sizes of the cohorts. Run
      the checks.
    {/if}
  </p>
{/if}
