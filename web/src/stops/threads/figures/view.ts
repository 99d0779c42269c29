/** Count, sum, average, smallest and largest of orders, by a field. */
import { defineView } from '$src/frame/view';
import { ofThreads } from '../ofThreads';
import FiguresTable from './FiguresTable.svelte';

export const VIEW = defineView<'figures'>({ ...ofThreads, name: 'figures', drawing: FiguresTable });
