<script lang="ts">
  import { said } from '$lib/format/reader';
  import type { Schemas } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import { count, counted } from '$lib/format/figures';
  import { limitWords } from '../standings';

  let { answer }: { answer: Schemas['LapseCurveShape'] } = $props();

  const boundary = $derived(said(answer.boundary.words));
</script>

{#if answer.chosen_days !== null}
  <p>
    <span class="font-serif text-4xl leading-tight font-semibold">{count(answer.chosen_lapsed ?? 0)}</span>
    <span class="quiet font-semibold">lapsed at {counted(answer.chosen_days, 'day')}</span>
  </p>
{:else}
  <p>Under a rule by usual gaps every customer has a limit of their own.</p>
{/if}
<p class="text-sm">{boundary.charAt(0).toUpperCase()}{boundary.slice(1)}.</p>
{#if answer.suggested_days !== null}
  {@const days = answer.suggested_days}
  <h2 class="mt-3 border-t border-base-300 pt-2 text-lg">What the book suggests</h2>
  <p class="text-sm">
    <strong>{counted(days, 'day')}</strong>: {limitWords(answer.suggested_lapsed ?? 0, answer.customers)} would
    count as lapsed. {said(answer.suggestion)}
  </p>
  {#if answer.chosen_days !== days}
    <p class="mt-1 text-sm">
      <button class="word" onclick={() => address.change({ lapse: `${days}d`, open: null })}
        >use {counted(days, 'day')}</button
      >
    </p>
  {/if}
  <p class="quiet mt-1 text-sm">
    Read off the time to the next order after every order of the book, those still waiting counted for as long
    as they were watched; rounded up to a week.
  </p>
{:else}
  <p class="mt-3 border-t border-base-300 pt-2 text-sm">{said(answer.suggestion)}</p>
{/if}
