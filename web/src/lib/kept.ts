/** What this browser keeps for somebody, and how much of it. */

/** A text that was kept under a name; null for none, and where the browser keeps nothing, as in a frame of another site. */
export function keptText(key: string): string | null {
  try {
    // eslint-disable-next-line no-restricted-globals -- here alone
    return localStorage.getItem(key);
  } catch {
    return null;
  }
}

/** Keep a text under a name, as long as the browser keeps anything; null takes it away. */
export function keepText(key: string, text: string | null): void {
  try {
    // eslint-disable-next-line no-restricted-globals -- here alone
    const store = localStorage;
    if (text === null) store.removeItem(key);
    else store.setItem(key, text);
  } catch {
    // the page goes on without
  }
}

/** What was kept under a name; undefined for nothing, and for what nobody can read any more. */
export function kept(key: string): unknown {
  try {
    return JSON.parse(keptText(key) ?? 'null') ?? undefined;
  } catch {
    return undefined;
  }
}

/** Keep something that JSON can say under a name. */
export const keep = (key: string, value: unknown) => keepText(key, JSON.stringify(value));

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
