/** How many days pass between orders. */
import type { Schemas } from '$lib/api/client';
import { isWhole, named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import GapsGuide from './GapsGuide.svelte';
import GapsView from './GapsView.svelte';

export const VIEW = defineView<'gaps', Schemas['GapRowShape']>({
  name: 'gaps',
  looks: ['sort'],
  rows: (answer) => answer.rows,
  clears: { by: ['open', 'sort'] },
  opens: (shortest, longest = '', ...group) => ({
    ...(isWhole(shortest) ? { shortest } : {}),
    ...(isWhole(longest) ? { longest } : {}),
    ...named('group', group),
  }),
  drawing: GapsView,
  guide: GapsGuide,
});
