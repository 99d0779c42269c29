/** How many days pass between orders. */
import type { Schemas } from '$lib/api/client';
import { joined } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import GapsGuide from './GapsGuide.svelte';
import GapsView from './GapsView.svelte';

const DAYS = /^\d{1,6}$/;

export const VIEW = defineView<'gaps', Schemas['GapRowShape']>({
  name: 'gaps',
  rows: (answer) => answer.rows,
  clears: { by: ['open'] },
  opens: (shortest, longest = '', ...group) => ({
    ...(DAYS.test(shortest) ? { shortest } : {}),
    ...(DAYS.test(longest) ? { longest } : {}),
    ...(group.length > 0 ? { group: joined(group) } : {}),
  }),
  drawing: GapsView,
  guide: GapsGuide,
});
