/** All customers, by any field. */
import { listView } from '../listView';

export const VIEW = listView('customers');
