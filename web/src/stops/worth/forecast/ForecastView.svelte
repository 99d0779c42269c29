<script lang="ts">
  import { periodName } from '$lib/format/dates';
  import { spoken } from '$lib/periods';
  import { address } from '$lib/address.svelte';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import ForecastChecks from './ForecastChecks.svelte';
  import ForecastCloth from './ForecastCloth.svelte';
  import { figure, type Forecast } from './said';

  let { answer }: { answer: Forecast } = $props();
  let pointed = $state<{ row: number; age: number } | null>(null);
  const words = $derived.by(() => {
    const cohort = pointed && answer.cohorts[pointed.row];
    if (!pointed || !cohort) return '';
    const { age } = pointed;
    const when = `${periodName(cohort.cohort)}, ${age} ${spoken(answer.period)}${age === 1 ? '' : 's'} later`;
    const came = cohort.values[age];
    if (came !== undefined) return `${when}: ${figure(answer, came)}`;
    const ahead = cohort.ahead[age - cohort.values.length];
    const since =
      age === cohort.values.length && cohort.since !== null ? `, ${figure(answer, cohort.since)} so far` : '';
    if (ahead === undefined) return since ? `${when}: still running${since}` : `${when}: no forecast`;
    const whole =
      cohort.brought === null
        ? ''
        : ` · by the last age ${figure(answer, cohort.brought)}, standard error ${figure(answer, cohort.error ?? 0)}`;
    return `${when}: ${figure(answer, ahead)} forecast${since}${whole}`;
  });

  /** The cell of the cohort table that a figure is; what is forecast has nobody behind it. */
  function open(cohort: string, age: number): void {
    const shown = answer.figure === 'profit' ? 'revenue' : answer.figure;
    const query = new URLSearchParams(location.search);
    for (const name of ['view', 'few']) query.delete(name);
    for (const [name, value] of Object.entries({
      period: answer.period,
      figure: shown,
      open: `${cohort}~${age}`,
    }))
      query.set(name, value);
    address.visit(address.book ?? 0, 'cohorts', query);
  }
  const rows = $derived(
    answer.cohorts.map((cohort) => ({
      name: periodName(cohort.cohort),
      cells: Array.from({ length: answer.ages }, (_, age) => {
        const came = cohort.values[age];
        if (came !== undefined) return { text: figure(answer, came), open: () => open(cohort.cohort, age) };
        const ahead = cohort.ahead[age - cohort.values.length];
        return { text: ahead === undefined ? '' : `${figure(answer, ahead)} forecast` };
      }),
    })),
  );
</script>

{#if answer.cohorts.length === 0}
  <p class="quiet mt-6 max-w-prose">
    No {spoken(answer.period)} of first orders is over yet: there is nothing to go by.
  </p>
{:else}
  <ChartFrame
    {words}
    hint="Point at a cell to read it. Hatched and in italics: a forecast. Click what came to open it."
  >
    {#snippet twin()}
      <TwinTable
        label="What cohorts brought and are forecast to bring, by age"
        first="First order"
        titles={Array.from({ length: answer.ages }, (_, age) => String(age))}
        {rows}
      />
    {/snippet}
    {#snippet drawing({ width, height })}
      <ForecastCloth
        {answer}
        {width}
        {height}
        onpoint={(at) => (pointed = at)}
        onopen={(cohort, age) => open(cohort, age)}
      />
    {/snippet}
  </ChartFrame>
  <ForecastChecks {answer} />
{/if}
