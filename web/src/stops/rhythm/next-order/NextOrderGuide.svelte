<script lang="ts">
  import { said } from '$lib/format/reader';
  import { question } from '$lib/question.svelte';
  import { count, counted, decimal, percent } from '$lib/format/figures';
  import { boundedShare, halfWords, placeOf, shareWords, type Curve, type NextOrder } from './curves';

  let { answer }: { answer: NextOrder } = $props();
  const LOOKED_AT = [30, 90, 365];
  const byThen = (curve: Curve) =>
    `${count(curve.by_then.customers)} of ${counted(curve.customers, 'customer')} by day ${count(answer.within)}`;
  const first = $derived(answer.curves[0]);
  const last = $derived(answer.ages.at(-1) ?? 0);
</script>

{#if answer.curves.length === 1 && first}
  <p>
    <span class="font-serif text-4xl leading-tight font-semibold"
      >{first.half_by === null ? '—' : count(first.half_by)}</span
    >
    <span class="quiet font-semibold">days until half have ordered again</span>
  </p>
  <p class="text-sm">
    {counted(first.customers, 'customer')} with that order; the next came from {count(first.ordered)}, not yet
    from {count(first.customers - first.ordered)}.
  </p>
  <p class="mt-1 text-sm">
    <button type="button" class="link font-semibold" onclick={() => question.open(answer.within, 'ordered')}
      >{byThen(first)}</button
    >: {boundedShare(first.by_then)}
  </p>
  <ul class="mt-1 text-sm">
    {#each LOOKED_AT.filter((day) => day <= last && day !== answer.within) as day (day)}
      <li>{shareWords(answer, first, placeOf(answer.ages, day))}</li>
    {/each}
  </ul>
{:else}
  <h2 class="text-xl">Groups compared</h2>
  <p class="text-sm" data-testid="compared">
    {said(answer.compared)}
    {#if answer.chi_square !== null}<span class="quiet"
        >Log-rank test, chi-square {decimal(answer.chi_square)}.</span
      >{/if}
  </p>
  <dl class="mt-2 text-sm">
    {#each answer.curves as curve, at (at)}
      <dt class="font-semibold">{curve.label}</dt>
      <dd class="pb-1">
        {halfWords(curve)}
        <span class="quiet"
          >· <button
            type="button"
            class="link"
            onclick={() => question.open(answer.within, 'ordered', curve.label)}>{byThen(curve)}</button
          >: {boundedShare(curve.by_then)} · {counted(curve.customers, 'customer')}, {percent(
            curve.customers ? curve.ordered / curve.customers : null,
          )} % so far</span
        >
      </dd>
    {/each}
  </dl>
{/if}
<h2 class="mt-3 border-t border-base-300 pt-2 text-lg">How to read it</h2>
<p class="quiet text-sm">
  The curve rises to the share who ordered again within so many days (Kaplan–Meier). Whoever has not yet is
  counted for as long as they could be watched, up to the as-of date; never as a no. The band holds the true
  share 95 times in 100.
</p>
