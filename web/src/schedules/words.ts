import type { Schemas } from '$lib/api/client';

const RUN_WORDS: Record<Schemas['RunState'], string> = {
  running: 'running now',
  done: 'done',
  nothing: 'nothing to do',
  waits: 'a file waits',
  turned: 'it turned',
  failed: 'failed',
};

/** What came of a run, in words. */
export const saidOf = (run: Schemas['RunShape']) => run.said || `${RUN_WORDS[run.state]}.`;

/** What can be said beside the list; a watch is made where its figure is opened. */
export const KINDS: Record<Exclude<Schemas['ScheduleKind'], 'watch'>, string> = {
  folder: 'import the files of a folder',
  letter: 'send a letter',
  query: 'import rows of a database',
};
