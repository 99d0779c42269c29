/** Where the focus goes when something opens beside the answer, and when it closes again. */

/** Attached to the heading of what opened: who came by keyboard goes on there, and back to where they came from; where
 * that is gone, to the answer. Who is in `unless` stays there. */
export const goOnHereUnless = (unless: string) => (heading: HTMLElement) => {
  const before = document.activeElement;
  if (before?.matches(':focus-visible') && !before.matches(unless)) heading.focus({ preventScroll: true });
  const part = heading.closest('section');
  return () => {
    const now = document.activeElement;
    if (now !== document.body && !part?.contains(now)) return;
    const back = before instanceof HTMLElement && before !== document.body && before.isConnected;
    (back ? before : document.querySelector('main'))?.focus({ preventScroll: true });
  };
};

export const goOnHere = goOnHereUnless(':not(*)');
