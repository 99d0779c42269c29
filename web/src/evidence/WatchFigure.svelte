<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { searchOf } from '$lib/search';
  import Course from '$src/charts/Course.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

  interface Props {
    book: number;
    question: string;
    query: object;
    opened: Schemas['OpenedShape'];
    currency: string;
  }
  /** Have the opened figure watched: somebody is told once when it is beyond a bound, and once when that is over. */
  let { book, question, query, opened, currency }: Props = $props();
  const UNITS: Record<string, string> = { share: '%', money: '' };
  const path = $derived({ book });
  let beyond = $state<Schemas['Beyond']>('below');
  let bound = $state<number | null>(null);
  let every = $state('every day at 06:30');
  let isNewest = $state(false);
  let made = $state<Schemas['ScheduleShape']>();

  const unit = $derived(opened.unit === 'money' ? currency : (UNITS[opened.unit] ?? ''));
  /** What names a cohort or a period, which may be the newest in place of this one. */
  const relative = $derived(
    (['cohort', 'at'] as const).find((name) =>
      /^\d{4}(-|$)/.test((query as Record<string, string | undefined>)[name] ?? ''),
    ),
  );
  const asked = $derived(searchOf(isNewest && relative ? { ...query, [relative]: 'newest' } : query));
  const schedules = createQuery(() => ({
    queryKey: ['schedules', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/schedules', { params: { path } })),
  }));
  const own = $derived(
    (schedules.data?.schedules ?? []).filter(
      (each) => each.kind === 'watch' && each.name === opened.words.replace(/ as of \d+ \w+ \d{4}|\.$/g, ''),
    ),
  );
  const add = useChange(
    (body: Schemas['ScheduleIn']) =>
      answerOf(api.POST('/api/books/{book}/schedules', { params: { path }, body })),
    (now) => {
      made = now.schedules.at(-1);
    },
  );

  function watch(event: SubmitEvent): void {
    event.preventDefault();
    made = undefined;
    void add.run({
      schedule: { kind: 'watch', every, question, query: asked, side: beyond, bound: bound ?? 0, to: [] },
    });
  }
</script>

{#snippet panel(close: () => void)}
  <form class="grid w-80 max-w-full gap-3 text-sm" onsubmit={watch}>
    <p class="quiet">
      Whoever makes the watch is told once when the figure turns, and once when that is over. A share counts
      as beyond its bound when its whole 95 % confidence interval is.
    </p>
    <div class="flex items-end gap-2">
      <label class="grid gap-1"
        >Tell me when it<select class="select select-sm" bind:value={beyond}>
          <option value="below">falls under</option><option value="above">rises over</option>
        </select></label
      >
      <label class="grid gap-1"
        >Bound{unit ? `, ${unit}` : ''}<input
          type="number"
          step="any"
          class="input input-sm w-28"
          required
          bind:value={bound}
        /></label
      >
    </div>
    {#if relative}
      <label class="flex items-center gap-2"
        ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={isNewest} />
        Always the newest {relative === 'at' ? 'period' : 'cohort'} that is over, in place of this one</label
      >
    {/if}
    <label class="grid gap-1"
      >Looked at<input class="input input-sm w-full" maxlength="120" required bind:value={every} /></label
    >
    {#if add.problem}<ProblemNote problem={add.problem} />{/if}
    {#if made}<p role="status">{made.words}.</p>{/if}
    <p class="flex items-center gap-4">
      <button class="btn btn-primary btn-sm" disabled={add.pending}>Watch it</button>
      <button type="button" class="word" onclick={close}>close</button>
    </p>
  </form>
{/snippet}

<span class="text-sm not-printed"><WordPanel text="watch it" title="Watch this figure" {panel} /></span>
{#each own as each (each.id)}
  <div class="w-full text-sm">
    <span class={each.turned ? 'text-error' : 'quiet'}>{each.words}.</span>
    {#if each.course.length > 1 && each.bound !== null}
      <Course
        course={each.course.map(({ value }) => value)}
        bound={each.bound}
        words="{each.name}, by month, and its bound {each.bound}"
      />
    {/if}
  </div>
{/each}
