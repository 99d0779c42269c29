<script lang="ts">
  import { spoken } from '$lib/periods';
  import type { Schemas } from '$lib/api/client';
  import { onAxis } from '$lib/format/units';
  import Seen from '$src/frame/Seen.svelte';
  import Counted from './Counted.svelte';
  import { ramp, tones } from './gridLayout';
  import type { Pointed } from './pointed';
  import { threeReadings } from './readings';

  interface Props {
    answer: Schemas['CohortsShape'];
    pointed: Pointed | null;
    onopen: (cohort: string, age: string) => void;
  }
  let { answer, pointed, onopen }: Props = $props();

  const scale = $derived(ramp(answer));
  const top = $derived(onAxis(scale.top, answer.unit));
  const lowest = $derived(scale.lowest < 0 ? onAxis(scale.lowest, answer.unit) : '0');
  const shownTones = $derived(tones.filter((tone) => scale.lowest < 0 || !tone.startsWith('below')));
  // the words stay where the pointer was last, so that they can be reached and opened
  let last = $state.raw<Pointed | null>(null);
  $effect(() => {
    if (pointed) last = pointed;
  });
  const readings = $derived(threeReadings(answer, last));
  const hasOdd = $derived(answer.cohorts.some((row) => row.low.length > 0));
</script>

<Counted {answer} onopenall={() => onopen('all', 'all')} />

{#if answer.view !== 'bars'}
  <Seen name="three-ways" title="Three ways to read it" isOpen={last !== null}>
    <dl class="grid gap-1.5 text-sm desk:min-h-[7.5rem] desk:content-start">
      {#each readings as { way, words, opens } (way)}
        <div>
          <dt class="inline font-semibold">{way}:</dt>
          <dd class="inline">
            {words}
            {#if opens}<button class="word text-sm" onclick={() => onopen(opens[0], opens[1])}>open</button
              >{/if}
          </dd>
        </div>
      {/each}
    </dl>
  </Seen>
{/if}
{#if answer.view === 'table'}
  <Seen name="marks" title="Marks">
    <ul class="grid gap-1 text-sm">
      <li class="flex items-center gap-3">
        <span class="flex" aria-hidden="true"
          >{#each shownTones as tone (tone)}<span class="swatch ramp-{tone}"></span>{/each}</span
        >
        {lowest} to {top}
      </li>
      <li class="flex items-center gap-3">
        <span class="mark ramp-4 partial" aria-hidden="true"></span>{spoken(answer.period)} still running, not averaged
      </li>
      {#if hasOdd}
        <li class="flex items-center gap-3">
          <span class="mark ramp-4 odd" aria-hidden="true"></span>out of line with its column: check this
        </li>
      {/if}
      <li class="flex items-center gap-3">
        <span class="flex w-6 justify-center" aria-hidden="true"><span class="apart"></span></span>return rate
        unlike adjacent cohorts
      </li>
      <li class="flex items-center gap-3">
        <span class="quiet w-6 text-center text-xs" aria-hidden="true">small</span>fewer than {answer.small_below}
        customers: read the interval
      </li>
      {#if answer.events.length}
        <li class="flex items-center gap-3">
          <span class="w-6 text-center font-bold text-accent" aria-hidden="true">◦</span>an event falls in
          that {spoken(answer.period)}
        </li>
      {/if}
    </ul>
    <p class="quiet mt-2 text-sm">“Came back” counts each customer once: it is not the sum of a row.</p>
  </Seen>
{:else if answer.view === 'lines'}
  <p class="quiet mt-3 text-sm">
    A line is a cohort: pale where it has fewer than {answer.small_below} customers, dotted while its last
    {spoken(answer.period)} still runs.
    {answer.by_calendar
      ? 'Lines that bend on one day share its cause: an event, a price, a season.'
      : 'Lines that lie below the others from the start are another kind of customer, not a bad month.'}
  </p>
{:else}
  <p class="quiet mt-3 text-sm">
    Read a column from its foot: who came first long ago, then the later ones, on top those who are new. A
    tone that keeps its height is a year whose customers stay; one that thins away is a year that was lost.
  </p>
{/if}

<style>
  .swatch {
    width: 11px;
    height: 14px;
  }
  .mark {
    width: 24px;
    height: 16px;
    flex: none;
  }
  .apart {
    width: 12px;
    height: 4px;
    background: var(--color-error);
  }
</style>
