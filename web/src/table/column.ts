/** A column of a table, typed by the rows that it is a column of. */
export interface Column<Row> {
  name: string;
  title: string;
  /** Explains the title where it needs it. */
  about?: string;
  /** In pixels; what is left over goes to the columns without one. */
  width?: number;
  /** What a column without a width needs at least, 120 unless said. */
  least?: number;
  /** Figures stand at the right. */
  right?: boolean;
  /** It names the row. */
  names?: boolean;
  quiet?: boolean;
  strong?: boolean;
  /** What a cell says; a cell that is drawn by the table's owner says nothing here. */
  text?: (row: Row) => string;
  /** What is copied of a cell that is drawn. */
  copied?: (row: Row) => string;
  /** All of it, where the cell is too narrow. */
  whole?: (row: Row) => string;
  /** What the column is called where a list is put in sequence: a click on its head does that. */
  sorts?: string;
  /** What rows are put in sequence by where all of them are here; a column without it stays as it is. */
  value?: (row: Row) => number | string | null;
  /** What a click on the figure opens; null where nothing stands behind it. */
  open?: (row: Row) => (() => void) | null;
}

/** Browsers draw nothing beyond some thirty million pixels. */
export const MOST_ROWS = 1_000_000;

const STEPS: Record<string, number> = {
  ArrowDown: 1,
  ArrowUp: -1,
  PageDown: 15,
  PageUp: -15,
  Home: -Infinity,
  End: Infinity,
};

/** In which sequence rows stand: by which column, and whether the largest comes first. */
export interface Sequence {
  by: string;
  down: boolean;
}

/** Rows in a sequence: figures by size, texts by the alphabet, what has no value last. */
export function inSequence<Row>(
  rows: readonly Row[],
  value: (row: Row) => number | string | null,
  down: boolean,
): Row[] {
  const sign = down ? -1 : 1;
  return [...rows].sort((one, other) => {
    const [first, second] = [value(one), value(other)];
    if (first === null || second === null) return first === second ? 0 : first === null ? 1 : -1;
    return (
      sign *
      (typeof first === 'number' && typeof second === 'number'
        ? first - second
        : String(first).localeCompare(String(second), undefined, { numeric: true }))
    );
  });
}

/** What is copied at once: more is taken as a file. */
export const MOST_COPIED = 1_000;

/** Where a key moves the cursor of a list; undefined for a key that moves nothing. */
export function stepped(key: string, at: number, count: number): number | undefined {
  const step = STEPS[key];
  return step === undefined ? undefined : Math.min(count - 1, Math.max(0, at + step));
}
