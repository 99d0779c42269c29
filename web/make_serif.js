/* The serif as the page uses it: two weights, the sizes of headings and sentences, the letters of Western names. It is a
third less to load first; whatever else a name is written with comes from the whole family. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import subsetFont from 'subset-font';

const WHOLE = 'node_modules/@fontsource-variable/fraunces/files/fraunces-latin-opsz-normal.woff2';
const FOLDER = 'node_modules/.serif';
/** As `unicode-range` says in src/app.css.
 *
 * @type {[number, number][]}
 */
const RANGES = [
  [0x20, 0x7e],
  [0xa0, 0xff],
  [0x2009, 0x2009],
  [0x2013, 0x2026],
  [0x202f, 0x202f],
  [0x2212, 0x2212],
];

const letters = RANGES.flatMap(([first, last]) =>
  Array.from({ length: last - first + 1 }, (_, at) => String.fromCodePoint(first + at)),
);
const made = await subsetFont(readFileSync(WHOLE), letters.join(''), {
  targetFormat: 'woff2',
  variationAxes: { wght: { min: 400, max: 600 }, opsz: { min: 14, max: 40 } },
});
mkdirSync(FOLDER, { recursive: true });
writeFileSync(`${FOLDER}/serif.woff2`, made);
