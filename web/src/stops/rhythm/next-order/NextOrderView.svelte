<script lang="ts">
  import { count } from '$lib/format/figures';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import { dayTicks } from '$src/charts/days';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import Curves from './Curves.svelte';
  import { placeOf, shareWords, type NextOrder } from './curves';
  import { question } from '$lib/question.svelte';

  let { answer }: { answer: NextOrder } = $props();
  let pointed = $state<number | null>(null);

  const words = $derived(
    pointed === null
      ? ''
      : answer.curves
          .map(
            (curve) =>
              (answer.curves.length > 1 ? `${curve.label}: ` : '') + shareWords(answer, curve, pointed ?? 0),
          )
          .join(' · '),
  );
  const open = (day: number, group: string, who = 'ordered') =>
    question.open(day, who, ...(answer.curves.length > 1 ? [group] : []));
  const rows = $derived(
    dayTicks(answer.ages.at(-1) ?? 1).map((day) => {
      const place = placeOf(answer.ages, day);
      return {
        name: `day ${answer.ages[place]}`,
        cells: answer.curves.flatMap((curve) => [
          {
            text: shareWords(answer, curve, place).replace(/ by day \d+/, ''),
            open: () => open(answer.ages[place] ?? 0, curve.label),
          },
          {
            text: count(curve.waiting[place] ?? 0),
            open: () => open(answer.ages[place] ?? 0, curve.label, 'waiting'),
          },
        ]),
      };
    }),
  );
</script>

<ChartFrame
  {words}
  hint="Point at a day to read the curves, click to see who had ordered again by then. Under the axis: who still waits."
>
  {#snippet twin()}
    <TwinTable
      label="Share who have ordered again, by days since the order"
      first="Days"
      titles={answer.curves.flatMap((curve) => [
        answer.curves.length > 1 ? `${curve.label}: ordered again` : 'Ordered again',
        'Waiting',
      ])}
      {rows}
    />
  {/snippet}
  {#snippet drawing({ width, height })}
    <Curves {answer} {width} {height} {pointed} onpoint={(place) => (pointed = place)} onopen={open} />
  {/snippet}
</ChartFrame>
