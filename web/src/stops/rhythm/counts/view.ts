/** How many orders customers placed in a window of dates. */
import { defineView } from '$src/frame/view';
import CountsGuide from './CountsGuide.svelte';
import CountsView from './CountsView.svelte';
import { live } from './liveWindow.svelte';

export const VIEW = defineView<'counts'>({
  name: 'counts',
  clears: { groups: ['open'] },
  opens: (...orders) => ({ orders }),
  drawing: CountsView,
  guide: CountsGuide,
  meanwhile: () => live.answer,
});
