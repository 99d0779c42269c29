<script lang="ts">
  import { question } from '$lib/question.svelte';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import DifferenceThread from './DifferenceThread.svelte';
  import { apart, figure, lengths, nameOf, ofPart, partsOf, type Difference, type MadeBy } from './made';

  let { answer }: { answer: Difference } = $props();
  let pointed = $state<number | null>(null);
  const drawn = $derived(lengths(answer.whole.before ?? 0, partsOf(answer)));
  const parts = $derived<MadeBy[]>([answer.whole, ...answer.factors, ...answer.groups]);
  const words = $derived.by(() => {
    const length = pointed === null ? undefined : drawn[pointed];
    const part =
      length && parts.find((each) => (length.group ?? '') === each.name || nameOf(each.name) === length.name);
    if (!length) return '';
    if (!part) return `${length.name}: ${apart(answer, length.part)}`;
    const taken =
      part.mix === null
        ? ''
        : ` · ${apart(answer, part.mix)} by the mix, ${apart(answer, part.rate)} by its own`;
    return `${length.name}: ${ofPart(answer, part, part.before)} before, ${ofPart(answer, part, part.after)} after · ${apart(answer, length.part)} of the difference${taken}${part.few ? ' · few customers' : ''}`;
  });
  const open = (range: string, group?: string) =>
    question.open(range, 'all', ...(group === undefined ? [] : [group]));
  const isGroup = (part: MadeBy) => answer.groups.includes(part);
  const rows = $derived(
    parts.map((part) => ({
      name: isGroup(part) ? part.name : nameOf(part.name),
      cells: [
        {
          text: ofPart(answer, part, part.before),
          open: () => open('before', isGroup(part) ? part.name : undefined),
        },
        {
          text: ofPart(answer, part, part.after),
          open: () => open('after', isGroup(part) ? part.name : undefined),
        },
        { text: apart(answer, part.difference) },
        ...(answer.is_rate ? [{ text: apart(answer, part.mix) }, { text: apart(answer, part.rate) }] : []),
        { text: [part.stands_out && 'stands out', part.few && 'few customers'].filter(Boolean).join(', ') },
      ],
    })),
  );
</script>

<ChartFrame
  {words}
  hint="Each length is a part of the difference: brown to the right adds, slate to the left takes away. Click one to see who stands behind it."
>
  {#snippet twin()}
    <TwinTable
      label="What made the difference"
      first={answer.by_title || 'Part'}
      titles={[
        'Before',
        'After',
        'Part of the difference',
        ...(answer.is_rate ? ['By the mix', 'By its own rate'] : []),
        '',
      ]}
      {rows}
    />
  {/snippet}
  {#snippet drawing({ width, height })}
    {#if drawn.length === 0}
      <p class="quiet max-w-prose pt-6">
        {answer.groups.length > 0
          ? 'Customers are in several groups, so the parts do not add up to the difference: the table has them.'
          : 'A rate is taken apart by groups: choose a field in the question.'}
      </p>
    {:else}
      <DifferenceThread
        {width}
        {height}
        before={answer.whole.before ?? 0}
        after={answer.whole.after ?? 0}
        {drawn}
        {pointed}
        say={(value) => figure(answer, value)}
        apart={(value) => apart(answer, value)}
        onpoint={(at) => (pointed = at)}
        onopen={open}
      />
    {/if}
  {/snippet}
</ChartFrame>
