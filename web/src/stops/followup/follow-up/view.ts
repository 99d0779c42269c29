/** Whom to contact, and why. */
import type { Schemas } from '$lib/api/client';
import { defineView } from '$src/frame/view';
import FollowUpGuide from './FollowUpGuide.svelte';
import FollowUpView from './FollowUpView.svelte';

export const VIEW = defineView<'follow-up', Schemas['FollowUpRowShape']>({
  name: 'follow-up',
  rows: (answer) => answer.rows,
  clears: {
    // what was opened belongs to the old groups, and another field has sequences of its own
    who: ['open'],
    contactable: ['open'],
    since_list: ['open'],
    by: ['open', 'direction'],
  },
  opens: (part, reason?: string) => ({ part, ...(reason === undefined ? {} : { reason }) }),
  drawing: FollowUpView,
  guide: FollowUpGuide,
  withoutOrders: true,
});
