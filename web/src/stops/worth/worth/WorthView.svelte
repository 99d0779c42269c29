<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import GroupTable from './GroupTable.svelte';
  import { amount, type Drawn } from '../curves';
  import ProfitChart from '../ProfitChart.svelte';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Schemas['WorthShape'] } = $props();
  const curve = $derived(answer.curve);
  const ofRevenue = $derived(answer.figure === 'revenue');
  const curves = $derived<Drawn[]>([
    {
      name: 'observed',
      start: curve.start,
      profit: curve.values,
      low: curve.low,
      high: curve.high,
      complete: curve.complete,
      main: true,
      open: (age) => question.visit('payback', { ...kept(), open: String(age) }),
    },
    ...(answer.changed
      ? [
          {
            name: 'if',
            start: answer.changed.cac === null ? null : -answer.changed.cac,
            profit: answer.changed.profit.slice(0, curve.complete),
            low: [],
            high: [],
            complete: curve.complete,
            dashed: true,
          },
        ]
      : []),
  ]);
  const crossing = $derived(
    ofRevenue || curve.start === null || curve.paid_back === null
      ? null
      : { age: curve.paid_back, words: `paid back by ${spoken(answer.period)} ${curve.paid_back}` },
  );

  /** What both views are asked alike. */
  function kept(): Record<string, string> {
    const both = ['margin', 'cac', 'period', 'ages', 'split'];
    return Object.fromEntries(
      Object.entries(question.query).flatMap(([name, value]) =>
        both.includes(name) && typeof value === 'string' ? [[name, value]] : [],
      ),
    );
  }
  const range = (age: number) =>
    curve.low[age] === null || curve.low[age] === undefined
      ? ''
      : `95 % confidence interval ${amount(curve.low[age])} to ${amount(curve.high[age])}`;
</script>

<p class="quiet text-sm">
  {ofRevenue
    ? 'Revenue per customer so far, by age, before the cost of goods and before CAC.'
    : curve.start === null
      ? 'What winning a customer cost is not known, so there is no profit to draw. Import spend, or say a cost.'
      : 'Profit per customer so far, by age. It begins at what winning one cost; the band is the 95 % confidence interval of the mean, a bootstrap over customers.'}
</p>
{#if ofRevenue || curve.start !== null}
  <ProfitChart
    label="Observed {answer.figure} per customer by age"
    starts={!ofRevenue}
    {curves}
    period={spoken(answer.period)}
    {crossing}
    hint="Point at an age to read it; click to see the cohorts and what one may cost."
    say={range}
  />
{/if}
{#if answer.groups.length > 0}
  <GroupTable {answer} />
{/if}
