<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count } from '$lib/format/figures';
  import type { Column } from '$src/table/column';
  import DataTable from '$src/table/DataTable.svelte';
  import Band from '../Band.svelte';
  import { question } from '$lib/question.svelte';
  import { lapsedWords, STANDS, type Group } from '../standings';

  let { answer }: { answer: Schemas['StandingShape'] } = $props();

  const ROW = 40;
  const columns = $derived<Column<Group>[]>([
    {
      name: 'group',
      title: 'Group',
      width: 170,
      names: true,
      text: (group) => group.label || 'blank',
      whole: (group) => group.label || 'blank',
      open: (group) => () => question.open('all', '', '', group.label),
    },
    { name: 'band', title: 'Active, lapsed, never ordered', least: 200 },
    {
      name: 'share',
      title: 'Lapsed of those who ordered',
      about: 'With its 95 % confidence interval',
      width: 150,
      right: true,
      strong: true,
      text: lapsedWords,
      value: (group) => group.lapsed_share,
      open: (group) => () => question.open('lapsed', '', '', group.label),
    },
    {
      name: 'customers',
      title: 'Customers',
      width: 90,
      right: true,
      text: (group) => count(group.customers),
    },
  ]);
  /** The largest first; a comparison keeps its own sequence. */
  const groups = $derived([...answer.groups].sort((one, other) => other.customers - one.customers));
  const openedGroup = $derived(question.opened.slice(3).join('~'));
</script>

<DataTable
  label="Where customers stand, by group"
  {columns}
  all={groups}
  rowHeight={ROW}
  headHeight={36}
  question={answer.sentence.map((part) => part.text).join('')}
  empty="There is nobody on file."
>
  {#snippet head(column)}{column.title}{/snippet}
  {#snippet cell(group)}
    <Band
      standings={group.standings}
      label={group.label || 'blank'}
      height={ROW - 12}
      named={false}
      opened={openedGroup === group.label && STANDS.some((each) => each === question.opened[0])
        ? question.opened[0]
        : undefined}
      onopen={(stands) => question.open(stands, '', '', group.label)}
    />
  {/snippet}
</DataTable>
