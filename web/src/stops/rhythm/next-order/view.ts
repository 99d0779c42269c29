/** How long it takes to the next order. */
import { isWhole, named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import NextOrderGuide from './NextOrderGuide.svelte';
import NextOrderView from './NextOrderView.svelte';

export const VIEW = defineView<'next-order'>({
  name: 'next-order',
  clears: { step: ['open'], split: ['open'] },
  opens: (days, who = 'ordered', ...group) =>
    isWhole(days) ? { days, who, ...named('group', group) } : undefined,
  drawing: NextOrderView,
  guide: NextOrderGuide,
});
