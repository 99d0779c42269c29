/** What customers have brought by age, and when winning one is paid back. */
import { joined } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import PaybackGuide from './PaybackGuide.svelte';
import PaybackView from './PaybackView.svelte';

const AGE = /^\d{1,6}$/;

export const VIEW = defineView<'payback'>({
  name: 'payback',
  clears: { period: ['open'], ages: ['open'], split: ['open'] },
  opens: (age, cohort, ...group) =>
    AGE.test(age)
      ? { age, ...(cohort ? { cohort } : {}), ...(group.length > 0 ? { group: joined(group) } : {}) }
      : undefined,
  drawing: PaybackView,
  guide: PaybackGuide,
});
