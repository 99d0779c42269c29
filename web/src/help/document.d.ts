declare module '*.md' {
  /** A document's sections; each block is HTML of our own, and the text in it. */
  const sections: { title: string; blocks: { html: string; text: string }[] }[];
  export default sections;
}
