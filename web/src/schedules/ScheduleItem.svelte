<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { moment } from '$lib/format/dates';
  import { duration } from '$lib/format/figures';
  import { finished, type Job } from '$lib/jobs';
  import { ROOT } from '$lib/root';
  import Course from '$src/charts/Course.svelte';
  import JobProgress from '$src/notes/JobProgress.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import { saidOf } from './words';

  interface Props {
    book: number;
    schedule: Schemas['ScheduleShape'];
    taken: (now: Schemas['SchedulesShape']) => void;
  }
  let { book, schedule, taken }: Props = $props();
  const RUNS_SHOWN = 20;
  const path = $derived({ book, schedule: schedule.id });
  let job = $state.raw<Job>();
  let isOpen = $state(false);
  let every = $state<string>();
  const runs = createQuery(() => ({
    queryKey: ['schedules', book, schedule.id, schedule.last?.id],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/schedules/{schedule}/runs', {
          params: { path, query: { limit: RUNS_SHOWN } },
        }),
      ),
    enabled: isOpen,
  }));
  const change = useChange(
    (body: Schemas['ScheduleChangeIn']) =>
      answerOf(api.PATCH('/api/books/{book}/schedules/{schedule}', { params: { path }, body })),
    (now) => {
      taken(now);
      every = undefined;
    },
  );
  const remove = useChange(
    () => answerOf(api.DELETE('/api/books/{book}/schedules/{schedule}', { params: { path } })),
    (now) => taken(now),
  );
  const run = useChange(() =>
    finished(
      answerOf(api.POST('/api/books/{book}/schedules/{schedule}/run', { params: { path } })),
      (now) => (job = now),
    ),
  );
  const problem = $derived(change.problem ?? remove.problem ?? run.problem);
  const seconds = (each: Schemas['RunShape']) =>
    each.ended_at ? (Date.parse(each.ended_at) - Date.parse(each.begun_at)) / 1000 : 0;
  const rename = (event: SubmitEvent) => {
    event.preventDefault();
    void change.run({ every: every ?? '', paused: null });
  };
</script>

<li class="grid gap-1 border-t border-base-300 py-3">
  <p class="font-serif text-lg leading-7">{schedule.words}.</p>
  <p class="text-sm">
    {#if schedule.paused}
      <b>Paused.</b>
      {#if schedule.why}<span class="text-error">{schedule.why}</span>{/if}
    {:else}
      Next on {moment(schedule.due_at)}.
    {/if}
    {#if schedule.last}
      <span class={schedule.last.state === 'failed' ? 'text-error' : 'quiet'}
        >Last on {moment(schedule.last.begun_at)}: {saidOf(schedule.last)}</span
      >
    {/if}
    {#if schedule.made_by}<span class="quiet">Made by {schedule.made_by}.</span>{/if}
  </p>
  {#if schedule.bound !== null && schedule.course.length > 1}
    <Course
      course={schedule.course.map(({ value }) => value)}
      bound={schedule.bound}
      words="{schedule.name}, by month, and its bound {schedule.bound}"
    />
  {/if}
  {#if problem}<ProblemNote {problem} />{/if}
  {#if run.pending && job}
    <JobProgress {job} />
  {/if}
  {#if every !== undefined}
    <form class="flex flex-wrap gap-2" onsubmit={rename}>
      <input class="input input-sm w-64" aria-label="When" maxlength="120" required bind:value={every} />
      <button class="btn btn-primary btn-sm" disabled={change.pending}>Apply</button>
      <button type="button" class="word text-sm" onclick={() => (every = undefined)}>leave it</button>
    </form>
  {/if}
  <p class="flex flex-wrap items-baseline gap-x-4 text-sm">
    <button class="word" disabled={run.pending} onclick={() => run.run(undefined)}>run now</button>
    <button
      class="word"
      onclick={() => (every = schedule.when.startsWith('by ') ? schedule.cron : schedule.when)}
      >change when</button
    >
    <button
      class="word"
      disabled={change.pending}
      onclick={() => change.run({ every: null, paused: !schedule.paused })}
      >{schedule.paused ? 'go on' : 'pause'}</button
    >
    {#if schedule.kind === 'letter'}
      <a class="word" href="{ROOT}/api/books/{book}/schedules/{schedule.id}/letter" download
        >see the letter as it would be now</a
      >
    {/if}
    <button class="word" aria-expanded={isOpen} onclick={() => (isOpen = !isOpen)}>history</button>
    <button class="word" disabled={remove.pending} onclick={() => remove.run(undefined)}>remove</button>
  </p>
  {#if isOpen && runs.data}
    <ol class="mt-1 grid gap-1 border-l-2 border-base-300 pl-3 text-sm">
      {#each runs.data.runs as each (each.id)}
        <li>
          <b>{moment(each.begun_at)}</b>{each.asked_by === null
            ? ''
            : `, asked for${each.asked_by ? ` by ${each.asked_by}` : ''}`}{seconds(each) >= 1
            ? `, ${duration(seconds(each))}`
            : ''}{each.skipped ? `, in place of ${each.skipped} more that were missed` : ''}.
          <span class={each.state === 'failed' ? 'text-error' : 'quiet'}>{saidOf(each)}</span>
        </li>
      {:else}
        <li class="quiet">It has not run yet.</li>
      {/each}
    </ol>
  {/if}
</li>
