/** The views that list customers or orders, one a row. */
import type { Schemas } from '$lib/api/client';
import { defineView, type View } from '$src/frame/view';
import KeepShown from './KeepShown.svelte';
import ListView from './ListView.svelte';
import { ofThreads } from './ofThreads';

export type ListName = 'customers' | 'nth' | 'orders' | 'backdated';

export function listView(name: ListName): View {
  return defineView<'customers', Schemas['ListedRowShape']>({
    ...ofThreads,
    name: name as 'customers',
    rows: (answer) => answer.rows,
    // another field has sequences of its own
    clears: { by: ['direction'] },
    drawing: ListView,
    tools: KeepShown,
  });
}
