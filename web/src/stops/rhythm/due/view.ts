/** Whose next order is expected, and who is late. */
import type { Schemas } from '$lib/api/client';
import { defineView } from '$src/frame/view';
import DueCalendarFile from './DueCalendarFile.svelte';
import DueGuide from './DueGuide.svelte';
import DueView from './DueView.svelte';

export const VIEW = defineView<'due', Schemas['DueRowShape']>({
  name: 'due',
  looks: ['sort'],
  rows: (answer) => answer.rows,
  clears: { within: ['open'] },
  opens: (at) => ({ at: at === 'coming' ? '' : at }),
  drawing: DueView,
  guide: DueGuide,
  tools: DueCalendarFile,
});
