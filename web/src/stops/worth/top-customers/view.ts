/** Who brings the revenue, and how much the largest bring. */
import type { Schemas } from '$lib/api/client';
import { defineView } from '$src/frame/view';
import KeepTop from './KeepTop.svelte';
import TopGuide from './TopGuide.svelte';
import TopView from './TopView.svelte';

export const VIEW = defineView<'top-customers', Schemas['TopCustomerShape']>({
  name: 'top-customers',
  looks: ['sort'],
  rows: (answer) => answer.rows,
  opens: (largest) => ({ largest }),
  drawing: TopView,
  guide: TopGuide,
  tools: KeepTop,
});
