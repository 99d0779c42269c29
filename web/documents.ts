/** Documents of `docs` as part of the page: parsed when it is built, so that nothing reads Markdown in the browser. */
import { Marked } from 'marked';
import type { Plugin } from 'vite';

// what they link to are files, which the page has not
const marked = new Marked({
  renderer: {
    link({ tokens }) {
      return this.parser.parseInline(tokens);
    },
    image: ({ text }) => text,
  },
});

interface Section {
  title: string;
  blocks: { html: string; text: string }[];
}

/** The sections of a document, each with its paragraphs, lists and tables, in HTML and as the text that is searched. */
function sectionsOf(markdown: string): Section[] {
  const sections: Section[] = [];
  for (const token of marked.lexer(markdown)) {
    if (token.type === 'heading')
      sections.push({ title: token.raw.replace(/^#+|[*`]/g, '').trim(), blocks: [] });
    else if (token.type !== 'space') {
      const text = token.raw.replace(/[*`|]|\]\([^)]*\)|\[/g, '').replace(/\s+/g, ' ');
      sections.at(-1)?.blocks.push({ html: marked.parser([token]), text });
    }
  }
  return sections;
}

export const documents = (): Plugin => ({
  name: 'documents',
  transform: (code, id) =>
    id.endsWith('.md')
      ? { code: `export default ${JSON.stringify(sectionsOf(code))}`, map: null, moduleType: 'js' }
      : null,
});
