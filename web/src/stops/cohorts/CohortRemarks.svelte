<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { address } from '$lib/address.svelte';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { percent } from '$lib/format/figures';
  import { eventsOver } from '$lib/periods';
  import { areRead, marks } from '$src/written/noted.svelte';

  /** What there is to say of cohorts beside their figures: what people noted, events, return rates unlike others. */
  interface Props {
    answer: Schemas['CohortsShape'];
    /** Point at the line of a cohort, by its place. */
    onpoint: (row: number | null) => void;
    onopen: (cohort: string) => void;
  }
  let { answer, onpoint, onopen }: Props = $props();
  const MOST = 500;
  const notes = createQuery(() => ({
    queryKey: ['notes', address.book, 'of cohorts'],
    queryFn: () =>
      answerOf(
        api.GET('/api/books/{book}/notes', {
          params: { path: { book: Number(address.book) }, query: { limit: MOST } },
        }),
      ),
    enabled: marks.shown && areRead(),
  }));

  /** What was noted on a cohort or one of its cells. */
  function noted(cohort: string): string[] {
    const mine = (note: Schemas['NoteShape']) =>
      note.about === 'cohort'
        ? note.key === cohort
        : note.about === 'cell' && note.key.startsWith(`${cohort}/`);
    return (notes.data?.notes ?? []).filter(mine).map(({ text }) => text);
  }

  function unlike({ apart }: Schemas['CohortRowShape']): string[] {
    if (!apart) return [];
    const [own, theirs] = [apart.share, apart.neighbours_share].map((share) => percent(share));
    return [`return rate ${own}\u00a0%, adjacent cohorts ${theirs}\u00a0%`];
  }

  const remarks = $derived(
    answer.cohorts.flatMap((row, place) => {
      const events = answer.ages === 'calendar' ? eventsOver([row.cohort], answer) : [];
      const said = [...noted(row.cohort), ...events.flatMap(({ labels }) => labels), ...unlike(row)];
      return row.size > 0 && said.length > 0 ? [{ cohort: row.cohort, place, said }] : [];
    }),
  );
</script>

{#if remarks.length > 0}
  <aside class="desk:w-56 desk:shrink-0 desk:overflow-y-auto" aria-label="Notes on cohorts">
    <h2 class="text-base">Notes</h2>
    <ul class="grid gap-2 text-sm">
      {#each remarks as { cohort, place, said } (cohort)}
        <li class="border-t border-base-300 pt-1">
          <button
            class="w-full text-left"
            onpointerenter={() => onpoint(place)}
            onpointerleave={() => onpoint(null)}
            onfocus={() => onpoint(place)}
            onblur={() => onpoint(null)}
            onclick={() => onopen(cohort)}
          >
            <strong>{periodName(cohort)}</strong>
            {#each said as text, at (at)}<span class="quiet block wrap-anywhere">{text}</span>{/each}
          </button>
        </li>
      {/each}
    </ul>
  </aside>
{/if}
