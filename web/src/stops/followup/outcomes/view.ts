/** What became of every list that was worked. */
import { defineView } from '$src/frame/view';
import OutcomesTable from './OutcomesTable.svelte';

export const VIEW = defineView<'outcomes'>({
  name: 'outcomes',
  drawing: OutcomesTable,
  howToRead:
    'Of everybody who was contacted and whose days are over, how many ordered again in them. It is no comparison: a list with a control group, drawn at random, has one of its own. A row opens the list.',
  withoutOrders: true,
});
