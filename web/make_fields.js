/** What each question takes, from the API's own description: the names that an address and a query have in common. */
import { readFileSync, writeFileSync } from 'node:fs';
import { format, resolveConfig } from 'prettier';

const WINDOW = ['offset', 'limit'];
const OUT = 'src/lib/api/fields.ts';
const { paths } = JSON.parse(readFileSync('src/lib/api/openapi.json', 'utf8'));
const asked = Object.entries(paths).flatMap(([path, { get }]) => {
  const name = /^\/api\/books\/{book}\/ask\/([a-z-]+)$/.exec(path)?.[1];
  const taken = (get?.parameters ?? []).filter((each) => each.in === 'query').map((each) => each.name);
  return name ? [[name, taken]] : [];
});
const everywhere = asked
  .map(([, taken]) => taken)
  .reduce((known, taken) => known.filter((each) => taken.includes(each)));
const own = asked.map(([name, taken]) => [
  name,
  taken.filter((each) => ![...everywhere, ...WINDOW].includes(each)),
]);
const text = `/** Made by set-up from the API's description. */

/** The choices of the reading line, which every question takes. */
export const READING: readonly string[] = ${JSON.stringify(everywhere)};

/** The further choices of each question. */
export const OWN: Record<string, readonly string[]> = ${JSON.stringify(Object.fromEntries(own))};
`;
writeFileSync(OUT, await format(text, { ...(await resolveConfig(OUT)), parser: 'typescript' }));
