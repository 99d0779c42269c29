/** Order counts in words. */
import type { Schemas } from '$lib/api/client';
import { count, counted, money, percent } from '$lib/format/figures';
import type { Counts } from './liveWindow.svelte';

type Group = Schemas['CountGroupShape'];

/** A group as its bar is named: 3, or 10 or more. */
export function groupName(orders: string, roomy = true): string {
  return orders.endsWith('+') && roomy ? `${orders.slice(0, -1)} or more` : orders;
}

/** Share of a group among all that are shown. */
export function shareOf(groups: Group[], at: number): number {
  const whole = groups.reduce((sum, group) => sum + group.customers, 0);
  return whole > 0 ? (groups[at]?.customers ?? 0) / whole : 0;
}

/** A group in a sentence: who they are, their share, their orders and revenue. */
export function countWords(answer: Counts, at: number): string {
  const group = answer.groups[at];
  if (!group) return '';
  const up = answer.groups.slice(0, at + 1).reduce((sum, each) => sum + each.customers, 0);
  const whole = answer.groups.reduce((sum, each) => sum + each.customers, 0);
  const share =
    whole > 0 ? `${percent(group.customers / whole)} %, up to here ${percent(up / whole)} %` : '—';
  const noun = group.orders === '1' ? 'order' : 'orders';
  return (
    `${groupName(group.orders)} ${noun}: ${counted(group.customers, 'customer')} (${share}); ` +
    `${counted(group.order_count, 'order')}, ${money(group.revenue, true)} ${answer.currency}`
  );
}

/** The repeat-purchase rate of one number of orders in a sentence. */
export function ladderWords(group: Group): string {
  const placed = Number.parseInt(group.orders);
  if (group.reached === null || group.went_on === null) return '';
  return `${percent(group.went_on / Math.max(1, group.reached))} %: of ${count(group.reached)} with ${counted(placed, 'order')} or more, ${count(group.went_on)} placed one more. How long until then?`;
}
