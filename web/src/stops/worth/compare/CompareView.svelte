<script lang="ts">
  import { spoken } from '$lib/periods';
  import { said } from '$lib/format/reader';
  import type { Schemas } from '$lib/api/client';
  import { count } from '$lib/format/figures';
  import { amount, type Drawn } from '../curves';
  import ProfitChart from '../ProfitChart.svelte';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Schemas['CompareShape'] } = $props();
  const curves = $derived(
    answer.sides.map((side, place): Drawn => {
      const known = side.customers.filter((each) => each > 0).length;
      return {
        name: side.words.replace(/^those /, ''),
        start: null,
        profit: side.profit.slice(0, known),
        low: side.low.slice(0, known),
        high: side.high.slice(0, known),
        complete: known,
        main: place === 0,
        open: (age) => question.open(age, place === 0 ? 'one' : 'other'),
      };
    }),
  );
  function differenceAt(age: number): string {
    const [difference, low, high] = [answer.difference[age], answer.low[age], answer.high[age]];
    if (difference === null || difference === undefined) return '';
    const sizes = answer.sides.map((side) => count(side.customers[age] ?? 0)).join(' and ');
    const range = low === null || low === undefined ? '' : ` (${amount(low)} to ${amount(high)})`;
    return `difference ${amount(difference)}${range}, of ${sizes} customers`;
  }
</script>

<p class="pb-1" data-testid="verdict">{said(answer.verdict)}</p>
<ProfitChart
  label="{answer.figure === 'profit' ? 'Profit per customer before CAC' : 'Revenue per customer'}, by age"
  {curves}
  period={spoken(answer.period)}
  starts={false}
  hint="Point at an age to read both and their difference; click a curve to see whose it is."
  say={differenceAt}
/>
