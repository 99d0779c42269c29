import { address } from '$lib/address.svelte';

const SORT = 'sort';

/** The sequence that the address asks for: that of a table whose rows are all here, or of a question that takes it. */
export const addressed = {
  get by(): string {
    return (address.query.get(SORT) ?? '').split('~')[0] ?? '';
  },
  get down(): boolean {
    return (address.query.get(SORT) ?? '').endsWith('~down');
  },
  can: () => true,
  /** Figures begin with the largest; a column that was chosen already turns round. */
  onsort(by: string, isFigure: boolean): void {
    const down = by === this.by ? !this.down : isFigure;
    address.change({ [SORT]: `${by}~${down ? 'down' : 'up'}` }, false);
  },
};
