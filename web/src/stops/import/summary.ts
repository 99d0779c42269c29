/** What a delivery did, in a few words. */
import type { Schemas } from '$lib/api/client';
import { count, counted } from '$lib/format/figures';
import { RECORD_WORDS } from './meanings';

export function summary({ kind, counts }: Schemas['DeliveryShape']): string {
  const parts = [`${counted(counts.added, RECORD_WORDS[kind])} new`];
  if (counts.changed) parts.push(`${count(counts.changed)} changed`);
  if (counts.same) parts.push(`${count(counts.same)} the same`);
  return parts.join(', ');
}
