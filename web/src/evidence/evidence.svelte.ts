/** The customers behind one figure, fetched page by page as the list is scrolled; and the database's own count of it. */
import type { Schemas } from '$lib/api/client';
import { Pages } from '$lib/pages.svelte';
import type { EvidenceSource } from './source';

export class Evidence {
  readonly pages = new Pages<Schemas['OpenedShape'], Schemas['ThreadShape']>((head) => head.threads);
  recounted = $state.raw<Schemas['RecountedShape']>();
  /** The recount itself could not be had. */
  unanswered = $state(false);

  /** Open another figure, or the same one after a change; then the database counts it again. */
  async open(source: EvidenceSource): Promise<void> {
    const opened = this.pages.open(source.page);
    const { signal } = this.pages;
    const isOver = () => signal.aborted;
    if (!(await opened) || isOver()) return;
    this.recounted = undefined;
    this.unanswered = false;
    try {
      const found = await source.recount(signal);
      if (!isOver()) this.recounted = found;
    } catch {
      if (!isOver()) this.unanswered = true;
    }
  }
}
