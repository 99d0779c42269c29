/** What a word of a sentence can be exchanged for. */
export interface Choice {
  value: string;
  label: string;
  /** What the trade calls it, where that is another word. */
  term?: string;
}

/** The choices whose words hold some letters. */
export function narrowed(options: Choice[], letters: string): Choice[] {
  const wanted = letters.toLowerCase();
  return options.filter(({ label, term }) => `${label} ${term ?? ''}`.toLowerCase().includes(wanted));
}
