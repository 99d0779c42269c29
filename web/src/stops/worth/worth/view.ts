/** What a customer is worth: observed, and by the shop-floor formula. */
import { named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import WorthGuide from './WorthGuide.svelte';
import WorthView from './WorthView.svelte';

export const VIEW = defineView<'worth'>({
  name: 'worth',
  // what was opened belongs to the old groups
  clears: { period: ['open'], ages: ['open'], split: ['open'] },
  opens: (measure, ...group) => ({ measure, ...named('group', group) }),
  drawing: WorthView,
  guide: WorthGuide,
});
