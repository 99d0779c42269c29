/** The earliest and the latest order for each pair of attributes. */
import type { Schemas } from '$lib/api/client';
import { defineView } from '$src/frame/view';
import { ofThreads } from '../ofThreads';
import PairsTable from './PairsTable.svelte';

export const VIEW = defineView<'pairs', Schemas['PairRowShape']>({
  ...ofThreads,
  name: 'pairs',
  looks: ['sort'],
  clears: { rows: ['sort'], columns: ['sort'] },
  rows: (answer) => answer.rows,
  drawing: PairsTable,
});
