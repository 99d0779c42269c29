/** How many customers are lapsed at each limit. */
import { defineView } from '$src/frame/view';
import LapseCurve from './LapseCurve.svelte';
import LapseGuide from './LapseGuide.svelte';

const DAYS = /^\d{1,6}$/;

export const VIEW = defineView<'lapse-curve'>({
  name: 'lapse-curve',
  opens: (days) => (DAYS.test(days) ? { days } : undefined),
  drawing: LapseCurve,
  guide: LapseGuide,
});
