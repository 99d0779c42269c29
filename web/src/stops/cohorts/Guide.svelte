<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { onAxis } from '$lib/format/units';
  import Counted from './Counted.svelte';
  import { ramp, RAMP_STEPS } from './grid';
  import type { Pointed } from './pointed';
  import { threeReadings } from './readings';

  interface Props {
    answer: Schemas['CohortsShape'];
    pointed: Pointed | null;
    onopen: (cohort: string, age: string) => void;
  }
  let { answer, pointed, onopen }: Props = $props();

  const top = $derived(onAxis(ramp(answer).top, answer.unit));
  const steps = Array.from({ length: RAMP_STEPS }, (_, at) => at);
  // the words stay where the pointer was last, so that they can be reached and opened
  let last = $state.raw<Pointed | null>(null);
  $effect(() => {
    if (pointed) last = pointed;
  });
  const readings = $derived(threeReadings(answer, last));
  const hasOdd = $derived(answer.cohorts.some((row) => row.low.length > 0));
</script>

<Counted {answer} onopenall={() => onopen('all', 'all')} />

{#if answer.view === 'table'}
  <h2 class="mt-3 text-xl">Three ways to read it</h2>
  <dl class="mt-1 grid min-h-[150px] content-start gap-1.5 text-sm">
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

  <h2 class="mt-2 text-xl">Marks</h2>
  <ul class="mt-1 grid gap-1 text-sm">
    <li class="flex items-center gap-3">
      <span class="flex" aria-hidden="true"
        >{#each steps as step (step)}<span class="swatch ramp-{step}"></span>{/each}</span
      >
      0 to {top}
    </li>
    <li class="flex items-center gap-3">
      <span class="mark ramp-4 partial" aria-hidden="true"></span>{answer.period} still running, not averaged
    </li>
    {#if hasOdd}
      <li class="flex items-center gap-3">
        <span class="mark ramp-4 odd" aria-hidden="true"></span>out of line with its column: look twice
      </li>
    {/if}
    <li class="flex items-center gap-3">
      <span class="flex w-6 justify-center" aria-hidden="true"><span class="apart"></span></span>came back
      unlike its neighbours
    </li>
    <li class="flex items-center gap-3">
      <span class="quiet w-6 text-center text-xs" aria-hidden="true">small</span>fewer than 30 customers: read
      the range
    </li>
    {#if answer.events.length}
      <li class="flex items-center gap-3">
        <span class="w-6 text-center font-bold text-accent" aria-hidden="true">◦</span>an event falls in that {answer.period}
      </li>
    {/if}
  </ul>
  <p class="quiet mt-2 text-sm">“Back” counts each customer once: it is not the sum of a row.</p>
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
