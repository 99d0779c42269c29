/** The figures of a drawing as rows: what its table shows, and what each of them opens. */
export interface TwinCell {
  text: string;
  open?: () => void;
}

export interface TwinRow {
  name: string;
  cells: TwinCell[];
}
