/** Every order with what its thread shows. */
import { listView } from '../listView';

export const VIEW = listView('orders');
