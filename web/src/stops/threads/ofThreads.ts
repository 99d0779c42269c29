/** What all views of Threads have in common: the tally above, and a customer's page beside. */
import type { View } from '$src/frame/view';
import { address } from '$lib/address.svelte';
import CustomerBeside from './CustomerBeside.svelte';
import { closeCustomer, customerAsked } from './opening';
import TallyLine from './TallyLine.svelte';

export const ofThreads = {
  further: ['customer'],
  about: TallyLine,
  page: { isOpen: () => customerAsked() !== null, close: closeCustomer, drawing: CustomerBeside },
  tables: (shown, book) => [
    shown,
    {
      file: `/api/books/${book}/ask/orders/file`,
      query: address.choices(),
      label: 'every order with its thread',
    },
  ],
  withoutOrders: true,
} satisfies Pick<View, 'further' | 'page' | 'tables' | 'withoutOrders'> & { about: unknown };
