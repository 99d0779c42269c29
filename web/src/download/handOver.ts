/** Files, given to the browser. */

/** Hand something to the browser as a file: what the page has, under a name, or an address that has it. */
export function handOver(content: Blob | string, fileName = ''): void {
  const address = typeof content === 'string' ? content : URL.createObjectURL(content);
  const link = document.createElement('a');
  link.href = address;
  link.download = fileName;
  link.click();
  if (typeof content !== 'string') URL.revokeObjectURL(address);
}
