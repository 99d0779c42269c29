/** One order of each customer: the first, the latest, or that of a rank. */
import { listView } from '../listView';

export const VIEW = listView('nth');
