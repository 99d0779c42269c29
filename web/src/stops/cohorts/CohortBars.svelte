<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { count, money } from '$lib/format/figures';
  import { address } from '$lib/address.svelte';
  import { me } from '$lib/me.svelte';
  import Events from '$src/written/Events.svelte';
  import StackedColumns from '$src/charts/StackedColumns.svelte';
  import type { Series } from '$src/charts/columns';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import { daysOf, eventsOver, ofCalendar, spoken, yearOf } from '$lib/periods';

  interface Props {
    answer: Schemas['CohortsShape'];
    onopen: (cohort: string, age: string, group: string) => void;
  }
  let { answer, onopen }: Props = $props();

  let pointed = $state<number | null>(null);
  let events = $state<Events>();
  const unit = $derived(
    answer.figure === 'orders' ? 'orders' : answer.unit === 'money' ? answer.currency : 'customers',
  );

  /** Cohorts of one year share a tone; the newest are the lightest, because they are new. */
  const series = $derived.by((): Series[] => {
    if (answer.split)
      return answer.split.groups.map((group, at) => ({
        key: group.label,
        label: group.label,
        values: group.periods,
        tone: [9, 2, 7, 4, 6, 0, 8, 5][at] ?? 3,
        hatched: at % 2 === 1,
      }));
    const years = [...new Set(answer.cohorts.map((row) => yearOf(row.cohort)))];
    return years.map((year, at) => ({
      key: year,
      label: `first ordered in ${year}`,
      values: answer.periods.map((_, place) => sumOf(year, place)),
      tone: Math.max(2, 9 - Math.round((at * 7) / Math.max(1, years.length - 1))),
      hatched: at % 2 === 1,
    }));
  });

  function sumOf(year: string, place: number): number {
    let sum = 0;
    answer.cohorts.forEach((row, at) => {
      const age = place - at;
      if (yearOf(row.cohort) !== year || age < 0 || age >= row.customers.length) return;
      sum +=
        unit === 'orders'
          ? (row.orders[age] ?? 0)
          : unit === 'customers'
            ? (row.customers[age] ?? 0)
            : Number(row.revenue[age] ?? 0);
    });
    return sum;
  }

  const say = (value: number) => (unit === answer.currency ? money(value.toFixed(0), true) : count(value));
  const words = $derived.by(() => {
    if (pointed === null) return '';
    const place = pointed;
    const parts = series
      .filter((each) => (each.values[place] ?? 0) !== 0)
      .map((each) => `${say(each.values[place] ?? 0)} ${each.label}`);
    return `${periodName(answer.periods[place] ?? '')}, ${unit}: ${parts.join(' · ')}`;
  });
  const running = $derived(answer.cohorts.some((row) => row.complete < row.customers.length) ? 1 : 0);
</script>

{#if answer.ages === 'elapsed'}
  <p class="quiet mt-6 max-w-prose">
    Spans of days since each customer’s own first order have no place on the calendar. Choose {ofCalendar(
      answer.period,
    )}s in the question to see cohorts over time.
  </p>
{:else}
  <ChartFrame
    legend={series}
    {words}
    hint="Every column is one {spoken(
      answer.period,
    )}; its parts are the customers by when they came first. Click one to see who they are."
  >
    {#snippet marks()}<Events bind:this={events} book={address.book ?? 0} events={answer.events} />{/snippet}
    {#snippet twin()}
      <TwinTable
        label="{unit} by {ofCalendar(answer.period)}"
        first={spoken(answer.period)}
        titles={series.map((each) => each.label)}
        rows={answer.periods
          .map((period, place) => ({
            name: periodName(period),
            cells: series.map((each) => ({
              text: say(each.values[place] ?? 0),
              open: () => onopen('all', period, answer.split ? each.key : ''),
            })),
          }))
          .reverse()}
      />
    {/snippet}
    {#snippet drawing({ width, height })}
      <StackedColumns
        label="{unit} by {ofCalendar(answer.period)}, by {answer.split?.title ?? 'year of the first order'}"
        periods={answer.periods}
        {series}
        {width}
        {height}
        partial={running}
        events={eventsOver(answer.periods, answer)}
        {say}
        {pointed}
        onpoint={(place) => (pointed = place)}
        onaxis={me.may('import and correct')
          ? (place) => events?.begin(daysOf(answer.periods[place] ?? '', answer.fiscal_month))
          : undefined}
        onopen={(place, key) =>
          onopen('all', answer.periods[place] ?? 'all', answer.split && key !== 'all' ? key : '')}
      />
    {/snippet}
  </ChartFrame>
{/if}
