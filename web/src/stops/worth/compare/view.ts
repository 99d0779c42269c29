/** Which of two cohorts, lists or groups brought more at the same age. */
import { isWhole } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import CompareGuide from './CompareGuide.svelte';
import CompareView from './CompareView.svelte';

export const VIEW = defineView<'compare'>({
  name: 'compare',
  clears: { period: ['open'], ages: ['open'], one: ['open'], other: ['open'] },
  opens: (age, side = 'one') => (isWhole(age) ? { age, side } : undefined),
  drawing: CompareView,
  guide: CompareGuide,
});
