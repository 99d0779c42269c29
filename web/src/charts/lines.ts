/** How several curves of one chart differ, and where their names stand. */

/** Line patterns, so that groups differ without colour too; tones repeat from dark to light. */
export const DASHES = ['', '7 4', '2 3', '10 3 2 3', '5 2', '1 4', '12 4', '3 6', '4 2 1 2'];
export const TONES = [9, 7, 8, 6, 9, 7, 8, 6, 9];

/** Places of names, pushed at least so far apart; none beyond `lowest`, if there is room. Those of `wanted` ascend. */
export function spread<End extends { y: number }>(
  wanted: End[],
  apart: number,
  highest: number,
  lowest: number,
): End[] {
  let below = highest;
  const placed = wanted.map((end) => {
    below = Math.max(below + apart, end.y);
    return { ...end, y: below };
  });
  const over = (placed.at(-1)?.y ?? 0) - lowest;
  return over > 0 ? placed.map((end) => ({ ...end, y: end.y - over })) : placed;
}
