/** Customers who are opened beside a list, and the customers behind a group of orders. */
import { address } from '$lib/address.svelte';
import { question } from '$lib/question.svelte';

/** The customer whose page is open. */
export function customerAsked(): number | null {
  const asked = Number(address.query.get('customer'));
  return Number.isInteger(asked) && asked > 0 ? asked : null;
}

export function openCustomer(customer: number): void {
  address.change({ customer: String(customer) }, customerAsked() === null);
}

export function closeCustomer(): void {
  address.leave('customer');
}

/** Show the customers whose orders a group or pair counts. */
export function narrow(condition: string): void {
  const known = address.query.get('where');
  question.visit('customers', { where: known ? `(${known}) AND ${condition}` : condition });
}
