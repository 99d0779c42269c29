/** Files that the page has, given to the browser. */

/** Hand something to the browser as a file. */
export function handOver(content: Blob, fileName: string): void {
  const address = URL.createObjectURL(content);
  const link = document.createElement('a');
  link.href = address;
  link.download = fileName;
  link.click();
  URL.revokeObjectURL(address);
}
