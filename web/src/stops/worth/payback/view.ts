/** What customers have brought by age, and when winning one is paid back. */
import { isWhole, named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import PaybackGuide from './PaybackGuide.svelte';
import PaybackView from './PaybackView.svelte';

export const VIEW = defineView<'payback'>({
  name: 'payback',
  clears: { period: ['open'], ages: ['open'], split: ['open'] },
  opens: (age, cohort, ...group) =>
    isWhole(age) ? { age, ...(cohort ? { cohort } : {}), ...named('group', group) } : undefined,
  drawing: PaybackView,
  guide: PaybackGuide,
});
