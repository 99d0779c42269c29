/** What a first purchase leads to. */
import { defineView } from '$src/frame/view';
import LeadsToGrid from './LeadsToGrid.svelte';
import { labelOf } from './parts';

export const VIEW = defineView<'leads-to'>({
  name: 'leads-to',
  opens: (first, later?: string) => ({
    first: labelOf(first),
    ...(later === undefined ? {} : { later: labelOf(later) }),
  }),
  drawing: LeadsToGrid,
  howToRead:
    'A row is those whose first order was mainly of one category: that with the largest amount in it. A cell is the share of them with a line of the column’s category in any later order so far, and under it how sure that is. The darker, the more. Click a cell to see who they are.',
});
