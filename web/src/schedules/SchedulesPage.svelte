<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import AddSchedule from './AddSchedule.svelte';
  import ScheduleItem from './ScheduleItem.svelte';
  import SentLetters from './SentLetters.svelte';

  let { book }: { book: Schemas['BookShape'] } = $props();
  const client = useQueryClient();
  const path = $derived({ book: book.id });
  const key = $derived(['schedules', book.id]);
  const schedules = createQuery(() => ({
    queryKey: key,
    queryFn: () => answerOf(api.GET('/api/books/{book}/schedules', { params: { path } })),
  }));
  const taken = (now: Schemas['SchedulesShape']) => client.setQueryData(key, now);
</script>

<div
  class="mx-auto grid w-full max-w-6xl gap-x-10 gap-y-6 pt-2 pb-8 desk:grid-cols-[minmax(0,1fr)_23rem] desk:items-start"
>
  <div class="grid gap-5">
    <div>
      <h1 class="text-2xl">What {book.name} does by itself</h1>
      <p class="quiet">
        Files that come are imported, letters go out. A file that leaves something open waits on Import until
        somebody has answered.
      </p>
    </div>
    {#if schedules.error}
      <FailedNote problem={problemOf(schedules.error)} onagain={() => void schedules.refetch()} />
    {/if}
    <ul class="grid" data-testid="schedules">
      {#each schedules.data?.schedules ?? [] as schedule (schedule.id)}
        <ScheduleItem book={book.id} {schedule} {taken} />
      {:else}
        {#if schedules.data}
          <li class="quiet border-t border-base-300 pt-3">
            Nothing yet. Say beside this what shall come or go, and when.
          </li>
        {/if}
      {/each}
    </ul>
    <SentLetters book={book.id} />
  </div>
  <AddSchedule {book} {taken} />
</div>
