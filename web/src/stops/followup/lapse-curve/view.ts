/** How many customers are lapsed at each limit. */
import { isWhole } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import LapseCurve from './LapseCurve.svelte';
import LapseGuide from './LapseGuide.svelte';

export const VIEW = defineView<'lapse-curve'>({
  name: 'lapse-curve',
  opens: (days) => (isWhole(days) ? { days } : undefined),
  drawing: LapseCurve,
  guide: LapseGuide,
});
