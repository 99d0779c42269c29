/** What this browser keeps for somebody, and how much of it. */

/** What was kept under a name; undefined for nothing, and for what nobody can read any more. */
export function kept(key: string): unknown {
  try {
    return JSON.parse(localStorage.getItem(key) ?? 'null') ?? undefined;
  } catch {
    return undefined;
  }
}

/** A map with something put in last, or taken out; no more than the latest stay. */
export function withLatest<Value>(
  map: ReadonlyMap<string, Value>,
  key: string,
  value: Value | undefined,
  most: number,
): ReadonlyMap<string, Value> {
  const next = new Map(map);
  next.delete(key);
  if (value !== undefined) next.set(key, value);
  return new Map([...next].slice(-most));
}
