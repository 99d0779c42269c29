<script lang="ts">
  import {
    getLocalTimeZone,
    parseDate,
    toCalendarDate,
    today as todayIn,
    type CalendarDate,
  } from '@internationalized/date';
  import { Calendar } from 'bits-ui';
  import { MONTHS, readDate, reader } from '$lib/format/reader';

  interface Props {
    /** An ISO date, or nothing. */
    value: string;
    onchoose: (day: string) => void;
  }
  let { value, onchoose }: Props = $props();
  const YEARS_BACK = 40;
  const YEARS_AHEAD = 5;

  const today = todayIn(getLocalTimeZone());
  const iso = $derived(readDate(value).value);
  const chosen = $derived(iso === undefined ? undefined : parseDate(iso));
  let shown = $derived<CalendarDate>(chosen ?? today);
  const years = $derived.by(() => {
    const first = Math.min(today.year - YEARS_BACK, shown.year);
    return Array.from(
      { length: Math.max(today.year + YEARS_AHEAD, shown.year) - first + 1 },
      (_, at) => first + at,
    );
  });
</script>

<Calendar.Root
  type="single"
  class="rounded-box border border-base-300 p-2 text-sm"
  calendarLabel="Calendar"
  locale="en-GB"
  weekdayFormat="short"
  weekStartsOn={reader.week === 'Sunday' ? 0 : 1}
  fixedWeeks
  bind:placeholder={() => shown, (day) => (shown = toCalendarDate(day))}
  {...chosen ? { value: chosen } : {}}
  onValueChange={(day) => day && onchoose(day.toString())}
>
  {#snippet children({ months, weekdays })}
    <Calendar.Header class="flex items-center gap-1">
      <Calendar.PrevButton class="btn btn-ghost btn-sm">‹</Calendar.PrevButton>
      <Calendar.MonthSelect
        class="select select-sm w-20"
        aria-label="Month"
        monthFormat={(month: number) => MONTHS[month - 1] ?? ''}
      />
      <Calendar.YearSelect class="select select-sm w-24" aria-label="Year" {years} />
      <Calendar.NextButton class="btn btn-ghost btn-sm">›</Calendar.NextButton>
    </Calendar.Header>
    {#each months as month (month.value.toString())}
      <Calendar.Grid class="mt-1 w-full text-center tabular-nums">
        <Calendar.GridHead>
          <Calendar.GridRow>
            {#each weekdays as weekday, at (at)}
              <Calendar.HeadCell class="quiet font-normal">{weekday.slice(0, 2)}</Calendar.HeadCell>
            {/each}
          </Calendar.GridRow>
        </Calendar.GridHead>
        <Calendar.GridBody>
          {#each month.weeks as week (week[0]?.toString())}
            <Calendar.GridRow>
              {#each week as day (day.toString())}
                <Calendar.Cell date={day} month={month.value}>
                  <Calendar.Day class="day">{day.day}</Calendar.Day>
                </Calendar.Cell>
              {/each}
            </Calendar.GridRow>
          {/each}
        </Calendar.GridBody>
      </Calendar.Grid>
    {/each}
  {/snippet}
</Calendar.Root>

<style>
  :global(.day[data-calendar-day]) {
    display: grid;
    place-items: center;
    width: 2rem;
    height: 1.75rem;
    margin: auto;
    border-radius: var(--radius-field);
    cursor: pointer;
  }
  :global(.day[data-calendar-day][data-outside-month]) {
    color: var(--color-neutral);
  }
  :global(.day[data-calendar-day]:hover),
  :global(.day[data-calendar-day][data-today]) {
    box-shadow: inset 0 0 0 1px var(--color-base-content);
  }
  :global(.day[data-calendar-day][data-selected]) {
    background: var(--color-base-content);
    color: var(--color-base-100);
  }
</style>
