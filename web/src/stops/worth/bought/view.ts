/** What customers buy: revenue by product or category. */
import type { Schemas } from '$lib/api/client';
import { joined } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import BoughtGuide from './BoughtGuide.svelte';
import BoughtRows from './BoughtRows.svelte';

export const VIEW = defineView<'bought', Schemas['BoughtRowShape']>({
  name: 'bought',
  looks: ['sort'],
  rows: (answer) => answer.rows,
  clears: { by: ['open'] },
  opens: (...label) => ({ label: joined(label) }),
  drawing: BoughtRows,
  guide: BoughtGuide,
});
