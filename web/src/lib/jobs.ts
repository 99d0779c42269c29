/** Work under way on the server, asked after until it ends. */
import { address } from './address.svelte';
import { seen } from './seen.svelte';
import { api, Refusal, answerOf, problemOf, type Schemas } from './api/client';

const ASK_AGAIN_MS = 150;
/** How often in a row nobody answers before we give up, and how long we wait between at most: a minute in all. */
const MOST_FAILED = 16;
const LONGEST_MS = 5_000;
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
/** Whether the server itself refused: asking again gives the same. */
const isAnswer = (error: unknown) => {
  const { status } = problemOf(error);
  return status >= 400 && status < 500;
};
export type Job = Schemas['JobShape'];

/** Tell each state of a job until it is over; gives the last one. A server that does not answer is asked again for a
 * while: the work goes on without us. */
export async function follow(id: string, report: (job: Job) => void): Promise<Job> {
  let failed = 0;
  for (;;) {
    let job: Job;
    try {
      job = await answerOf(api.GET('/api/jobs/{job}', { params: { path: { job: id } } }));
      failed = 0;
    } catch (error) {
      failed += 1;
      if (isAnswer(error) || failed > MOST_FAILED) throw error;
      await pause(Math.min(LONGEST_MS, ASK_AGAIN_MS * 2 ** failed));
      continue;
    }
    report(job);
    if (job.state !== 'running') {
      await lookAtBooks();
      return job;
    }
    await pause(ASK_AGAIN_MS);
  }
}

/** How the book stands that is shown, once work is over that may have changed it. */
async function lookAtBooks(): Promise<void> {
  try {
    const { books } = await answerOf(api.GET('/api/books'));
    const here = books.find((book) => book.id === address.book);
    if (here) seen.take(here.id, { revision: here.revision });
  } catch {
    // the stream of changes tells of it too
  }
}

/** Follow a job that was begun to its end; throws a `Refusal` when it failed or was stopped. */
export async function finished(begun: Promise<Job>, report: (job: Job) => void): Promise<Job> {
  const job = await begun;
  report(job);
  const ended = await follow(job.id, report);
  if (ended.error) throw new Refusal(ended.error);
  return ended;
}

/** How far a job is, in whole percent; 0 until that is known. */
export function percentOf(job: Job | undefined): number {
  return job && job.total > 0 ? Math.round((100 * job.done) / job.total) : 0;
}

/** Ask a job to stop; it does at its next step. One that is over by now, or out of reach, is told by whoever follows it. */
export async function stopped(job: Job): Promise<void> {
  try {
    await answerOf(api.DELETE('/api/jobs/{job}', { params: { path: { job: job.id } } }));
  } catch {
    // the job's own state is followed
  }
}
