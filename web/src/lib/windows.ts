/** Indices of a list that a scrolled window shows, with a margin. */
export function windowOf(scroll: number, room: number, size: number, length: number): [number, number] {
  const margin = 4;
  return [
    Math.max(0, Math.floor(scroll / size) - margin),
    Math.min(length, Math.ceil((scroll + room) / size) + margin),
  ];
}
