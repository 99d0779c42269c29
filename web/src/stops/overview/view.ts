/** How the book stands, as a letter. */
import { defineView } from '$src/frame/view';
import Letter from './Letter.svelte';
import Panel from './Panel.svelte';

export const VIEW = defineView<'summary'>({
  name: 'summary',
  drawing: Letter,
  guide: Panel,
  withoutOrders: true,
});
