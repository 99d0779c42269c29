/** How many customers are active, lapsed, or never ordered; where, and since when. */
import { named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import StandingGuide from './StandingGuide.svelte';
import StandingView from './StandingView.svelte';

export const VIEW = defineView<'standing'>({
  name: 'standing',
  // groups and periods are not asked together
  clears: { by: ['open', 'and_by', 'over'], and_by: ['open'], over: ['open', 'by', 'and_by'] },
  opens: (stands, at, flow, ...group) => ({
    ...(stands === 'all' ? {} : { stands }),
    ...(at ? { at } : {}),
    ...(flow ? { flow } : {}),
    ...named('group', group),
  }),
  drawing: StandingView,
  guide: StandingGuide,
  withoutOrders: true,
});
