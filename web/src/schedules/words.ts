/** What came of a run, in words. */
import type { Schemas } from '$lib/api/client';

export const RUN_WORDS: Record<Schemas['RunState'], string> = {
  running: 'running now',
  done: 'done',
  nothing: 'nothing to do',
  waits: 'a file waits',
  failed: 'failed',
};

/** What can be said of a schedule, by what it is about. */
export const KINDS: Record<Schemas['ScheduleKind'], string> = {
  folder: 'import the files of a folder',
  letter: 'send a letter',
  query: 'import rows of a database',
};
