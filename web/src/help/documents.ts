/** What can be read beside an answer: what every figure means, and how each stop is used. */
import cohorts from '$docs/using/cohorts.md';
import definitions from '$docs/definitions.md';
import followup from '$docs/using/follow-up.md';
import imported from '$docs/using/import.md';
import newness from '$docs/using/newness.md';
import overview from '$docs/using/overview.md';
import rhythm from '$docs/using/rhythm.md';
import threads from '$docs/using/threads.md';
import worth from '$docs/using/worth.md';

/** Something to read, by its name in the address. */
export interface Chapter {
  name: string;
  title: string;
  sections: typeof definitions;
}

/** The sections of the definitions, by their numbers. */
export const MEANINGS: Chapter[] = definitions.flatMap((section) => {
  const number = /^(\d+)\. /.exec(section.title)?.[1];
  return number ? [{ name: number, title: section.title, sections: [section] }] : [];
});

const PAPERS = { overview, import: imported, threads, cohorts, newness, rhythm, followup, worth };
/** How each stop is used, by the stop. */
export const USES: Chapter[] = Object.entries(PAPERS).map(([name, sections]) => ({
  name,
  title: sections[0]?.title ?? name,
  sections,
}));

export const CHAPTERS = [...MEANINGS, ...USES];

export interface Found {
  chapter: Chapter;
  title: string;
  html: string;
}

/** Every block that has all words of a text, in the sequence of reading. */
export function find(text: string): Found[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  return CHAPTERS.flatMap((chapter) =>
    chapter.sections.flatMap(({ title, blocks }) =>
      blocks
        .filter((block) => words.every((word) => block.text.toLowerCase().includes(word)))
        .map(({ html }) => ({ chapter, title, html })),
    ),
  );
}
