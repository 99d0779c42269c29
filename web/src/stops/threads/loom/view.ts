/** Many customers' timelines at once. */
import { defineView } from '$src/frame/view';
import { ofThreads } from '../ofThreads';
import Loom from './Loom.svelte';
import { openedThreads } from './ranges';

export const VIEW = defineView<'loom'>({
  ...ofThreads,
  name: 'loom',
  // neighbours in one sequence are none in another
  clears: { by: ['direction', 'near', 'open'], direction: ['near', 'open'] },
  further: [...ofThreads.further, 'near'],
  opens: openedThreads,
  drawing: Loom,
});
