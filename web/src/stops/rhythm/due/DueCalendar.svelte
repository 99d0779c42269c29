<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date, dayNumber, monthOf } from '$lib/format/dates';
  import { count, counted } from '$lib/format/figures';
  import { reader } from '$lib/format/reader';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: Schemas['DueShape'] } = $props();

  const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
  const WEEK_BEGINS = WEEKDAYS.indexOf(reader.week.slice(0, 3));
  const DAYS_A_ROW = 14;
  const opened = $derived(question.opened[0]);
  const most = $derived(Math.max(1, ...answer.days.map((day) => day.customers)));
  const weeks = $derived(
    Array.from({ length: Math.ceil(answer.days.length / DAYS_A_ROW) }, (_, at) =>
      answer.days.slice(at * DAYS_A_ROW, (at + 1) * DAYS_A_ROW),
    ),
  );
  /** 1970-01-01 was a Thursday. */
  const weekday = (iso: string) => (dayNumber(iso) + 3) % 7;
  const tone = (customers: number) =>
    customers === 0 ? -1 : Math.min(5, Math.floor((5 * customers) / most));
</script>

<div class="flex shrink-0 flex-wrap gap-x-5 gap-y-2 pb-3">
  {#if answer.overdue === 'shown'}
    <section aria-label="Late" class="w-full desk:w-[190px]">
      <p class="text-sm font-semibold">
        <button class="hit hover:underline" onclick={() => question.open('late')}
          >{counted(answer.late, 'customer')} late</button
        >
      </p>
      <ul class="grid grid-cols-2 gap-1 text-sm desk:grid-cols-1">
        {#each answer.lateness as group (group.at)}
          <li>
            <button
              class="late"
              class:opened={opened === group.at}
              disabled={group.customers === 0}
              title="{counted(group.customers, 'customer')} late, {group.words}"
              onclick={() => question.open(group.at)}
              ><span>{group.words}</span><span class="ml-auto font-semibold">{count(group.customers)}</span
              ></button
            >
          </li>
        {/each}
      </ul>
    </section>
  {/if}
  <section aria-label="Expected" class="min-w-0 flex-1">
    <p class="text-sm font-semibold">
      <button class="hit hover:underline" onclick={() => question.open('coming')}
        >{counted(answer.coming, 'customer')} expected</button
      >
      <span class="quiet font-normal">from {date(answer.days[0]?.date ?? answer.as_of)} on</span>
    </p>
    {#each weeks as days (days[0]?.date)}
      <ol class="days" style:--days={DAYS_A_ROW}>
        {#each days as day, at (day.date)}
          <li class:begins={weekday(day.date) === WEEK_BEGINS}>
            <span class="month" aria-hidden="true"
              >{at === 0 || day.date.endsWith('-01') ? monthOf(day.date).slice(0, 3) : ''}</span
            >
            <button
              class={['day', tone(day.customers) >= 0 && `ramp-${tone(day.customers)}`]}
              class:opened={opened === day.date}
              class:weekend={weekday(day.date) > 4}
              disabled={day.customers === 0}
              aria-label="{WEEKDAYS[weekday(day.date)]} {date(day.date)}: {counted(
                day.customers,
                'customer',
              )} expected"
              title="{WEEKDAYS[weekday(day.date)]} {date(day.date)}: {counted(
                day.customers,
                'customer',
              )} expected"
              onclick={() => question.open(day.date)}>{day.customers || ''}</button
            >
            <span class="number" aria-hidden="true">{Number(day.date.slice(8))}</span>
          </li>
        {/each}
      </ol>
    {/each}
  </section>
</div>

<style>
  .late {
    display: flex;
    width: 100%;
    gap: 0.5rem;
    min-height: 24px;
    padding: 1px 6px;
    text-align: left;
    border-left: 3px solid var(--color-error);
    cursor: pointer;
  }
  .late:disabled {
    border-left-color: var(--color-base-300);
    color: var(--color-neutral);
    cursor: default;
  }
  .late:hover:enabled,
  .late.opened {
    background: var(--color-base-100);
  }
  .days {
    display: grid;
    grid-template-columns: repeat(var(--days), minmax(0, 1fr));
    gap: 2px;
  }
  @media (width < 55rem) {
    .days {
      grid-template-columns: repeat(7, minmax(0, 1fr));
    }
  }
  .begins {
    border-left: 1px solid var(--color-base-300);
    padding-left: 2px;
  }
  .month,
  .number {
    display: block;
    height: 16px;
    color: var(--color-neutral);
    font-size: 12px;
    line-height: 16px;
    text-align: center;
    white-space: nowrap;
  }
  .day {
    display: block;
    width: 100%;
    height: 34px;
    border: 1px solid var(--color-base-300);
    border-radius: 3px;
    font-weight: 600;
    font-size: 13px;
    cursor: pointer;
  }
  .day:disabled {
    cursor: default;
  }
  .day.weekend:disabled {
    background: color-mix(in oklab, var(--color-base-300) 35%, transparent);
  }
  .day:hover:enabled,
  .opened {
    outline: 2px solid var(--color-base-content);
    outline-offset: 1px;
  }
</style>
