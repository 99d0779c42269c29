/** Whether a key belongs to a field, a menu or the browser rather than to the page. */
export function isTyping(event: KeyboardEvent): boolean {
  if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return true;
  const target = event.target;
  return (
    target instanceof HTMLElement &&
    (target.matches('input, textarea, select, [contenteditable]') ||
      target.closest('[role=menu], dialog') !== null)
  );
}
