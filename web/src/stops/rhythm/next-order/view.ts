/** How long it takes to the next order. */
import { joined } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import NextOrderGuide from './NextOrderGuide.svelte';
import NextOrderView from './NextOrderView.svelte';

const DAYS = /^\d{1,6}$/;

export const VIEW = defineView<'next-order'>({
  name: 'next-order',
  clears: { step: ['open'], split: ['open'] },
  opens: (days, who = 'ordered', ...group) =>
    DAYS.test(days) ? { days, who, ...(group.length > 0 ? { group: joined(group) } : {}) } : undefined,
  drawing: NextOrderView,
  guide: NextOrderGuide,
});
