/** Cells on the clipboard: as text with tabs, and as a table, under the sentences that say what they are. */
import { getContext, setContext } from 'svelte';
import { count } from './format/figures';
import { form, readNumber } from './format/reader';

const CAPTION = Symbol('caption');
const CELLS = Symbol('cells');

export interface Cells {
  titles: string[];
  rows: string[][];
}
type CellsOf = () => Promise<Cells>;

/** What stands over the cells that are copied below a component. */
export function setCaption(caption: () => string[]): void {
  setContext(CAPTION, caption);
}

export function captionHere(): () => string[] {
  return getContext<(() => string[]) | undefined>(CAPTION) ?? (() => []);
}

/** Copy the cells of the table below, wherever the focus is; gives what was done, in words, and nothing without a table. */
export function copyBelow(caption: () => string[]): () => Promise<string> {
  let cells: CellsOf | undefined;
  setContext(CELLS, (of: CellsOf | undefined) => (cells = of));
  return async () => (cells ? copyCells(caption(), cells()) : '');
}

export function giveCells(): (cells: CellsOf | undefined) => void {
  return getContext<((cells: CellsOf | undefined) => void) | undefined>(CELLS) ?? (() => undefined);
}

/** A figure as a spreadsheet of the reader takes it for a number: nothing between thousands. */
function plain(cell: string): string {
  const [, figure = '', percent = ''] = /^(.*?)(\s*%)?$/.exec(cell.trim()) ?? [];
  const { value } = figure ? readNumber(figure) : {};
  return value === undefined ? cell : `${value.replace('.', form.decimal)}${percent.trim()}`;
}

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
const flat = (text: string) => text.replace(/[\t\r\n]+/g, ' ');
/** A text that a spreadsheet would take for a formula is one no more. */
const harmless = (text: string) => (/^[=+@\t\r]/.test(text) || /^-[^\d]/.test(text) ? `'${text}` : text);

export function asText(caption: string[], { titles, rows }: Cells): string {
  const lines = [titles, ...rows].map((cells) => cells.map((cell) => harmless(flat(plain(cell)))).join('\t'));
  return [...caption.map(flat), '', ...lines].join('\n');
}

export function asTable(caption: string[], { titles, rows }: Cells): string {
  const line = (cells: string[], tag: string) =>
    `<tr>${cells.map((cell) => `<${tag}>${escaped(harmless(plain(cell)))}</${tag}>`).join('')}</tr>`;
  const said = caption.map((words) => `<p>${escaped(words)}</p>`).join('');
  return `${said}<table>${line(titles, 'th')}${rows.map((row) => line(row, 'td')).join('')}</table>`;
}

/** Put cells on the clipboard; gives what was done, in words. */
export async function copyCells(caption: string[], cells: Promise<Cells>): Promise<string> {
  const blob = (type: string, make: (cells: Cells) => string) =>
    cells.then((known) => new Blob([make(known)], { type }));
  try {
    await navigator.clipboard.write([
      new ClipboardItem({
        'text/plain': blob('text/plain', (known) => asText(caption, known)),
        'text/html': blob('text/html', (known) => asTable(caption, known)),
      }),
    ]);
    return `Copied ${count((await cells).rows.length)} rows.`;
  } catch {
    return 'The browser did not allow copying.';
  }
}

/** Whether a key asks to copy, and nothing else is selected. */
export const asksToCopy = (event: KeyboardEvent) =>
  event.key.toLowerCase() === 'c' &&
  (event.ctrlKey || event.metaKey) &&
  !event.defaultPrevented &&
  !(event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) &&
  (getSelection()?.isCollapsed ?? true);
