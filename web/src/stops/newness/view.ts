/** How much of each period is new, how much is people coming back. */
import { joined } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import NewnessView from './NewnessView.svelte';
import { isSide } from './parts';
import Totals from './Totals.svelte';

export const VIEW = defineView<'newness'>({
  name: 'newness',
  // what was opened belongs to the old periods
  clears: { split: ['open'], period: ['open'] },
  looks: ['view'],
  opens: (at, side = 'all', ...group) => (isSide(side) ? { at, side, group: joined(group) } : undefined),
  drawing: NewnessView,
  guide: Totals,
});
