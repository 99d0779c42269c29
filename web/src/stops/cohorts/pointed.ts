/** The place in the table that is pointed at. */
export interface Pointed {
  /** −1 is the row over all cohorts. */
  row: number;
  /** Of the row over all cohorts laid out by calendar, the place of the period. */
  age: number;
}
