/** The place in the table that is pointed at. */
export interface Pointed {
  /** −1 is the row over all cohorts. */
  row: number;
  /** Of the row over all cohorts laid out by calendar, the place of the period. */
  age: number;
  /** Beside the cells: the customers of a cohort, or those of them who came back at all. */
  part?: 'customers' | 'back';
}

/** The id of a cell. */
export function cellId({ row, age, part }: Pointed): string {
  return `cell-${row}-${part ?? age}`;
}
