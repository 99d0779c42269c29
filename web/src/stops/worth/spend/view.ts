/** What was spent to win customers, and how many were won. */
import type { Schemas } from '$lib/api/client';
import { named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import SpendTable from './SpendTable.svelte';

export const VIEW = defineView<'spend', Schemas['SpendRowShape']>({
  name: 'spend',
  looks: ['sort'],
  rows: (answer) => answer.rows,
  clears: { shown: ['open'] },
  opens: (month, ...channel) => ({ month, ...named('channel', channel) }),
  drawing: SpendTable,
  howToRead:
    'A customer is won by the channel of the first order. CAC is what was spent in the month, divided by everybody who first ordered in it. Some ordered first long after they were reached, so single months of a channel say little. A month without spend is no month without cost: it may be missing.',
  withoutOrders: true,
});
