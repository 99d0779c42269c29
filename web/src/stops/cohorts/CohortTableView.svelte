<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { onAxis } from '$lib/format/units';
  import AgeCurve from '$src/charts/AgeCurve.svelte';
  import CohortGrid from './CohortGrid.svelte';
  import Readout from './Readout.svelte';
  import { ALL, question } from './cohorts.svelte';
  import { LEFT_WIDTH, firstAge, fit } from './grid';
  import type { Pointed } from './pointed';

  interface Props {
    answer: Schemas['CohortsShape'];
    pointed: Pointed | null;
    onpoint: (at: Pointed | null) => void;
    /** Told whether the table leaves figures out to fit the page. */
    onfit: (abridged: boolean) => void;
  }
  let { answer, pointed, onpoint, onfit }: Props = $props();

  const CURVE_HEIGHT = 118;
  let width = $state(0);
  let height = $state(0);
  const room = $derived({ width, height });
  const laid = $derived(fit(answer, width, height, question.layout === 'figures'));
  const abridged = $derived(fit(answer, width, height, false).abridged);
  $effect(() => onfit(abridged));

  /** The curve stands under its columns where these are ages that fit. */
  const place = $derived.by(() => {
    const first = firstAge(answer);
    const ages = answer.ages_shown - first;
    const under = !laid.scrolls && !answer.by_calendar;
    const step = under ? laid.cellWidth : (width - LEFT_WIDTH - 8) / Math.max(1, ages);
    return (age: number) => LEFT_WIDTH + (age - first + 0.5) * step;
  });
  const bounded = $derived(answer.all.low.some((value) => value !== null));
  const title = $derived.by(() => {
    const rest = answer.rest ? '; dashed: the rest' : '';
    const what = answer.sentence.find((part) => part.control === 'figure')?.text ?? '';
    const how = answer.totalled
      ? 'all cohorts, in total'
      : `average by age${bounded ? ', with its 95 % band' : ''}`;
    return `${what.charAt(0).toUpperCase()}${what.slice(1)}: ${how}${rest}`;
  });
</script>

<div class="mt-1 min-h-0 flex-1" bind:clientWidth={width} bind:clientHeight={height}>
  {#if width > 0}
    <CohortGrid
      {answer}
      fit={laid}
      {room}
      {pointed}
      opened={question.opened}
      {onpoint}
      onopen={(cohort, age) => question.open(cohort, age)}
    />
  {/if}
</div>
<Readout {answer} {pointed} />
{#if width > 0}
  <AgeCurve
    {title}
    values={answer.all.values}
    {...bounded ? { low: answer.all.low, high: answer.all.high } : {}}
    rest={answer.rest?.values ?? []}
    firstAge={firstAge(answer)}
    {width}
    height={CURVE_HEIGHT}
    {place}
    tell={(value) => onAxis(value, answer.unit)}
    pointed={pointed?.age ?? null}
    onopen={(age) => question.open(ALL, age)}
  />
{/if}
