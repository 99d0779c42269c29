/** Values that stay the same object for as long as their parts are the same. */

/** A keeper: gives the value that it was given first among equal ones, so that whoever watches it sees no change. */
export function stable<T>(): (next: T) => T {
  let kept: { key: string; value: T } | undefined;
  return (next) => {
    const key = JSON.stringify(next);
    if (kept?.key !== key) kept = { key, value: next };
    return kept.value;
  };
}
