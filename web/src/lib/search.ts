type Value = string | number | boolean | null | undefined;

/** A query as the search part of an address. */
export function searchOf(query: object, more: Record<string, string> = {}): string {
  const search = new URLSearchParams(more);
  for (const [name, value] of Object.entries(query) as [string, Value | Value[]][])
    for (const each of [value].flat())
      if (each !== undefined && each !== null) search.append(name, String(each));
  return search.toString();
}
