/** Which of two cohorts, lists or groups brought more at the same age. */
import { defineView } from '$src/frame/view';
import CompareGuide from './CompareGuide.svelte';
import CompareView from './CompareView.svelte';

const AGE = /^\d{1,6}$/;

export const VIEW = defineView<'compare'>({
  name: 'compare',
  clears: { period: ['open'], ages: ['open'], one: ['open'], other: ['open'] },
  opens: (age, side = 'one') => (AGE.test(age) ? { age, side } : undefined),
  drawing: CompareView,
  guide: CompareGuide,
});
