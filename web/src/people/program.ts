/** A browser in a word, of what it says of itself. */
const KNOWN: readonly [RegExp, string][] = [
  [/Edg\//, 'Edge'],
  [/OPR\//, 'Opera'],
  [/Firefox\//, 'Firefox'],
  [/Chrome\//, 'Chrome'],
  [/Safari\//, 'Safari'],
];

export function programOf(userAgent: string): string {
  return KNOWN.find(([mark]) => mark.test(userAgent))?.[1] ?? (userAgent.split('/')[0] || 'a program');
}
