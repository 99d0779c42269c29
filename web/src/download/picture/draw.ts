/** Marks as an SVG file (SVG 1.1) or drawn on a canvas for PNG. */
import { problem, Refusal } from '$lib/api/client';
import { fontText, hatchLines, type Picture } from './marks';

const HATCH_WIDTH = 1.6;
const PIXELS = 2;
const TOO_LARGE = problem(
  'TooLarge',
  'Too large',
  'The picture is larger than this browser can draw.',
  'Take it as SVG, or show less.',
  413,
);

export function svgOf({ width, height, ground, marks }: Picture): string {
  const parts = marks.map((mark, at) => {
    if (mark.kind === 'text') {
      const { size, weight, family } = mark.font;
      return `<text x="${n(mark.x)}" y="${n(mark.y)}" textLength="${n(mark.length)}" lengthAdjust="spacingAndGlyphs" font-size="${size}" font-weight="${weight}" font-family="${escaped(family)}" fill="${mark.fill}" opacity="${mark.opacity}">${escaped(mark.text)}</text>`;
    }
    if (mark.kind === 'image') {
      const { x, y, width, height } = mark.box;
      return `<image x="${n(x)}" y="${n(y)}" width="${n(width)}" height="${n(height)}" opacity="${mark.opacity}" xlink:href="${mark.canvas.toDataURL()}"/>`;
    }
    const { a, b, c, d, e, f } = mark.matrix;
    const matrix = `transform="matrix(${[a, b, c, d, e, f].map(n).join(' ')})"`;
    if (mark.kind === 'hatch')
      return `<clipPath id="c${at}"><path d="${mark.d}"/></clipPath><g ${matrix} opacity="${mark.opacity * 0.7}"><path clip-path="url(#c${at})" d="${hatchLines(mark.box)}" stroke="${mark.colour}" stroke-width="${HATCH_WIDTH}"/></g>`;
    const dash = mark.dash ? ` stroke-dasharray="${mark.dash}"` : '';
    return `<path ${matrix} d="${escaped(mark.d)}" fill="${mark.fill}" stroke="${mark.stroke}" stroke-width="${mark.strokeWidth}"${dash} opacity="${mark.opacity}"/>`;
  });
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="${n(width)}" height="${n(height)}" viewBox="0 0 ${n(width)} ${n(height)}">`,
    `<rect width="100%" height="100%" fill="${ground}"/>`,
    ...parts,
    '</svg>',
  ].join('\n');
}

export async function pngOf({ width, height, ground, marks }: Picture): Promise<Blob> {
  const canvas = document.createElement('canvas');
  canvas.width = Math.ceil(width * PIXELS);
  canvas.height = Math.ceil(height * PIXELS);
  const pen = canvas.getContext('2d');
  if (!pen) throw new Error('This browser cannot draw.');
  pen.scale(PIXELS, PIXELS);
  pen.fillStyle = ground;
  pen.fillRect(0, 0, width, height);
  for (const mark of marks) {
    pen.save();
    pen.globalAlpha = mark.opacity;
    if (mark.kind === 'text') {
      pen.font = fontText(mark.font);
      pen.fillStyle = mark.fill;
      pen.fillText(mark.text, mark.x, mark.y);
    } else if (mark.kind === 'image') {
      const { x, y, width, height } = mark.box;
      pen.drawImage(mark.canvas, x, y, width, height);
    } else {
      pen.transform(mark.matrix.a, mark.matrix.b, mark.matrix.c, mark.matrix.d, mark.matrix.e, mark.matrix.f);
      const path = new Path2D(mark.d);
      if (mark.kind === 'hatch') {
        pen.clip(path);
        pen.globalAlpha = mark.opacity * 0.7;
        pen.strokeStyle = mark.colour;
        pen.lineWidth = HATCH_WIDTH;
        pen.stroke(new Path2D(hatchLines(mark.box)));
      } else {
        if (mark.fill !== 'none') {
          pen.fillStyle = mark.fill;
          pen.fill(path);
        }
        if (mark.stroke !== 'none') {
          pen.strokeStyle = mark.stroke;
          pen.lineWidth = mark.strokeWidth;
          pen.setLineDash(mark.dash ? mark.dash.split(/[ ,]+/).map(Number) : []);
          pen.stroke(path);
        }
      }
    }
    pen.restore();
  }
  return new Promise((resolve, reject) => {
    canvas.toBlob((blob) => {
      if (blob) resolve(blob);
      else reject(new Refusal(TOO_LARGE));
    }, 'image/png');
  });
}

function n(value: number): string {
  return String(Math.round(value * 100) / 100);
}

function escaped(text: string): string {
  return text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
