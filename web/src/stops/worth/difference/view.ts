/** Two ranges of dates, and what made the difference. */
import { named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import DifferenceGuide from './DifferenceGuide.svelte';
import DifferenceView from './DifferenceView.svelte';

export const VIEW = defineView<'difference'>({
  name: 'difference',
  clears: { by: ['open'] },
  opens: (range, side = 'all', ...group) => ({ range, side, ...named('group', group) }),
  drawing: DifferenceView,
  guide: DifferenceGuide,
});
