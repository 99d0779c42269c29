/** What is to be checked about spend. */
import type { Schemas } from '$lib/api/client';

export const PROBLEMS: Record<Schemas['SpendProblem'], string> = {
  no_such_channel: 'no order names this channel',
  nobody_new: 'spend, and nobody new',
  no_spend: 'new customers, and no spend',
};
