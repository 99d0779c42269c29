/** Orders that stand before one with a smaller number. */
import { listView } from '../listView';

export const VIEW = listView('backdated');
