/** What a part of the page looks like, as flat marks: the one description from which SVG and PNG are drawn. */

export interface Look {
  fill: string;
  stroke: string;
  strokeWidth: number;
  dash: string;
  opacity: number;
}

export type Mark =
  | ({ kind: 'path'; d: string; matrix: DOMMatrix } & Look)
  | { kind: 'image'; canvas: HTMLCanvasElement; box: DOMRect; opacity: number }
  | { kind: 'hatch'; d: string; matrix: DOMMatrix; box: DOMRect; colour: string; opacity: number }
  | {
      kind: 'text';
      x: number;
      y: number;
      text: string;
      /** How long the text is on the page; other fonts are fitted to it. */
      length: number;
      font: Font;
      fill: string;
      opacity: number;
    };

export interface Font {
  size: number;
  weight: string;
  family: string;
}

export interface Picture {
  width: number;
  height: number;
  ground: string;
  marks: Mark[];
}

const PAD = 16;
const CAPTION = { question: 20, reading: 13, gap: 8 };
const measuring = document.createElement('canvas').getContext('2d');

/** A part of the page under the sentences that say what it shows. */
export function pictureOf(root: HTMLElement, question: string, reading: string): Picture {
  const place = root.getBoundingClientRect();
  const style = getComputedStyle(root);
  const serif = getComputedStyle(document.querySelector('h1') ?? root).fontFamily;
  const width = Math.max(root.scrollWidth, place.width) + 2 * PAD;
  const lines = [
    ...wrapped(question, { size: CAPTION.question, weight: '400', family: serif }, width - 2 * PAD),
    ...wrapped(reading, { size: CAPTION.reading, weight: '400', family: style.fontFamily }, width - 2 * PAD),
  ];
  const marks: Mark[] = [];
  let y = PAD;
  for (const { text, font } of lines) {
    y += font.size;
    const length = widthOf(text, font);
    marks.push({ kind: 'text', x: PAD, y, text, length, font, fill: style.color, opacity: 1 });
    y += font.size * 0.35;
  }
  const top = y + CAPTION.gap;
  const everything = new DOMRect(-1e6, -1e6, 2e6, 2e6);
  collect(root, { left: place.left - PAD, top: place.top - top }, 1, everything, marks);
  return {
    width,
    height: top + Math.max(root.scrollHeight, place.height) + PAD,
    ground: getComputedStyle(document.body).backgroundColor,
    marks,
  };
}

function wrapped(text: string, font: Font, width: number): { text: string; font: Font }[] {
  const lines: string[] = [];
  for (const word of text.split(' ')) {
    const longer = lines.length ? `${lines.at(-1)} ${word}` : word;
    if (lines.length && widthOf(longer, font) <= width) lines[lines.length - 1] = longer;
    else lines.push(word);
  }
  return lines.map((line) => ({ text: line, font }));
}

export function fontText(font: Font): string {
  return `${font.weight} ${font.size}px ${font.family}`;
}

function widthOf(text: string, font: Font): number {
  if (!measuring) return 0;
  measuring.font = fontText(font);
  return measuring.measureText(text).width;
}

interface Origin {
  left: number;
  top: number;
}

/** `seen` is what of the page can be seen there: what is scrolled out of sight or cut off is in no picture. */
function collect(element: Element, origin: Origin, opacity: number, seen: DOMRect, marks: Mark[]): void {
  const style = getComputedStyle(element);
  const place = element.getBoundingClientRect();
  if (style.display === 'none' || style.visibility === 'hidden') return;
  const own = opacity * Number(style.opacity);
  if (own === 0 || element.matches('defs, title, .reach, .not-printed, .sr-only')) return;
  const isOut = !meet(place, seen);
  if (isOut && !element.childElementCount && element instanceof SVGElement) return;
  if (element instanceof SVGGraphicsElement && !(element instanceof SVGSVGElement))
    drawn(element, style, origin, own, marks);
  else if (element instanceof HTMLElement && !isOut) boxed(element, style, origin, own, marks);
  const within = style.overflowX === 'visible' ? seen : common(place, seen);
  if (element instanceof HTMLCanvasElement) {
    const { left, top, width, height } = place;
    const box = new DOMRect(left - origin.left, top - origin.top, width, height);
    marks.push({ kind: 'image', canvas: element, box, opacity: own });
  }
  for (const child of element.childNodes) {
    if (child instanceof Element) collect(child, origin, own, within, marks);
    else if (child instanceof Text && element instanceof HTMLElement)
      written(child, style, origin, own, within, marks);
  }
}

const meet = (one: DOMRect, other: DOMRect) =>
  one.left < other.right && one.right > other.left && one.top < other.bottom && one.bottom > other.top;

function common(one: DOMRect, other: DOMRect): DOMRect {
  const [left, top] = [Math.max(one.left, other.left), Math.max(one.top, other.top)];
  const [right, bottom] = [Math.min(one.right, other.right), Math.min(one.bottom, other.bottom)];
  return new DOMRect(left, top, Math.max(0, right - left), Math.max(0, bottom - top));
}

function boxed(
  element: HTMLElement,
  style: CSSStyleDeclaration,
  origin: Origin,
  opacity: number,
  marks: Mark[],
): void {
  const place = element.getBoundingClientRect();
  const box = new DOMRect(place.left - origin.left, place.top - origin.top, place.width, place.height);
  if (box.width === 0 || box.height === 0) return;
  const matrix = new DOMMatrix();
  const plain = { stroke: 'none', strokeWidth: 0, dash: '', opacity };
  if (!clear(style.backgroundColor))
    marks.push({ kind: 'path', d: rectangle(box), matrix, fill: style.backgroundColor, ...plain });
  if (style.backgroundImage.includes('gradient')) {
    const colour = getComputedStyle(document.body).backgroundColor;
    marks.push({ kind: 'hatch', d: rectangle(box), matrix, box, colour, opacity });
  }
  const below = parseFloat(style.borderBottomWidth);
  if (below > 0 && !clear(style.borderBottomColor)) {
    const line = new DOMRect(box.x, box.bottom - below, box.width, below);
    marks.push({ kind: 'path', d: rectangle(line), matrix, fill: style.borderBottomColor, ...plain });
  }
  const ring = style.outlineStyle === 'none' ? 0 : parseFloat(style.outlineWidth);
  if (ring > 0 && element.matches('.odd')) {
    const inner = new DOMRect(box.x + ring / 2, box.y + ring / 2, box.width - ring, box.height - ring);
    const stroke = { stroke: style.outlineColor, strokeWidth: ring, dash: '', opacity };
    marks.push({ kind: 'path', d: rectangle(inner), matrix, fill: 'none', ...stroke });
  }
}

function written(
  node: Text,
  style: CSSStyleDeclaration,
  origin: Origin,
  opacity: number,
  seen: DOMRect,
  marks: Mark[],
): void {
  let text = node.data.replace(/\s+/g, ' ').trim();
  const font = { size: parseFloat(style.fontSize), weight: style.fontWeight, family: style.fontFamily };
  if (!text || font.size === 0) return;
  const range = document.createRange();
  range.selectNodeContents(node);
  const place = range.getBoundingClientRect();
  if (place.width === 0 || !meet(place, seen)) return;
  const room = Math.min(place.right, seen.right) - place.left;
  const isCut = room < place.width - 1;
  while (isCut && text.length > 1 && widthOf(`${text}…`, font) > room) text = text.slice(0, -1).trimEnd();
  if (isCut) text += '…';
  marks.push({
    kind: 'text',
    x: place.left - origin.left,
    y: place.top - origin.top + baseline(place.height, font),
    text,
    length: isCut ? widthOf(text, font) : place.width,
    font,
    fill: style.color,
    opacity,
  });
}

function baseline(height: number, font: Font): number {
  if (!measuring) return height * 0.8;
  measuring.font = fontText(font);
  const { fontBoundingBoxAscent: above, fontBoundingBoxDescent: below } = measuring.measureText('x');
  return (height - above - below) / 2 + above;
}

function drawn(
  element: SVGGraphicsElement,
  style: CSSStyleDeclaration,
  origin: Origin,
  opacity: number,
  marks: Mark[],
): void {
  const onScreen = element.getScreenCTM();
  if (!onScreen || element instanceof SVGGElement) return;
  const matrix = new DOMMatrix()
    .translate(-origin.left, -origin.top)
    .multiply(DOMMatrix.fromMatrix(onScreen));
  if (element instanceof SVGTextElement) {
    const font = { size: parseFloat(style.fontSize), weight: style.fontWeight, family: style.fontFamily };
    const text = element.textContent.trim();
    const start = text ? element.getStartPositionOfChar(0) : null;
    if (!text || !start) return;
    const { x, y } = new DOMPoint(start.x, start.y).matrixTransform(matrix);
    marks.push({
      kind: 'text',
      x,
      y,
      text,
      length: element.getComputedTextLength(),
      font,
      fill: style.fill,
      opacity,
    });
    return;
  }
  const d = outline(element);
  if (!d) return;
  if (style.fill.startsWith('url')) {
    const colour = getComputedStyle(document.body).backgroundColor;
    marks.push({ kind: 'hatch', d, matrix, box: element.getBBox(), colour, opacity });
    return;
  }
  const stroke = clear(style.stroke) ? 'none' : style.stroke;
  const fill = clear(style.fill) ? 'none' : style.fill;
  if (stroke === 'none' && fill === 'none') return;
  const dash = style.strokeDasharray === 'none' ? '' : style.strokeDasharray.replaceAll('px', '');
  marks.push({
    kind: 'path',
    d,
    matrix,
    fill,
    stroke,
    strokeWidth: parseFloat(style.strokeWidth),
    dash,
    opacity,
  });
}

/** Any shape as a path. */
function outline(element: SVGGraphicsElement): string {
  if (element instanceof SVGPathElement) return element.getAttribute('d') ?? '';
  if (element instanceof SVGRectElement) return rectangle(element.getBBox());
  if (element instanceof SVGLineElement)
    return `M${element.x1.baseVal.value} ${element.y1.baseVal.value}L${element.x2.baseVal.value} ${element.y2.baseVal.value}`;
  if (element instanceof SVGPolylineElement) return `M${element.getAttribute('points') ?? ''}`;
  if (element instanceof SVGCircleElement) {
    const [x, y, r] = [element.cx.baseVal.value, element.cy.baseVal.value, element.r.baseVal.value];
    return `M${x - r} ${y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0z`;
  }
  return '';
}

function rectangle(box: { x: number; y: number; width: number; height: number }): string {
  return `M${box.x} ${box.y}h${box.width}v${box.height}h${-box.width}z`;
}

function clear(colour: string): boolean {
  return colour === 'none' || colour === 'transparent' || /rgba\(.*, 0\)$/.test(colour);
}

/** The lines of a hatching over a box, clipped by whoever draws them. */
export function hatchLines(box: { x: number; y: number; width: number; height: number }): string {
  const lines: string[] = [];
  for (let at = box.x - box.height; at < box.x + box.width; at += 5)
    lines.push(`M${at} ${box.y + box.height}L${at + box.height} ${box.y}`);
  return lines.join('');
}
