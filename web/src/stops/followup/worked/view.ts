/** How far a list is worked, and what became of its members. */
import { address } from '$lib/address.svelte';
import { defineView } from '$src/frame/view';
import { membersOf, type Member } from '../members';
import WorkedPanel from './WorkedPanel.svelte';
import WorkedView from './WorkedView.svelte';

export const VIEW = defineView<'worked', Member>({
  name: 'worked',
  rows: membersOf,
  clears: { by: ['open', 'direction'] },
  opens: (first, members, became) =>
    first === 'members' ? { ...(members ? { members } : {}), ...(became ? { became } : {}) } : undefined,
  // without a list there is none to work: all of them are shown
  instead: () => (address.query.get('list') ? undefined : 'outcomes'),
  drawing: WorkedView,
  guide: WorkedPanel,
  withoutOrders: true,
});
