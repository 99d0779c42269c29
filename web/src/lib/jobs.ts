/** Work under way on the server, asked after until it ends. */
import { address } from './address.svelte';
import { seen } from './seen.svelte';
import { api, Refusal, answerOf, type Schemas } from './api/client';

const ASK_AGAIN_MS = 150;
export type Job = Schemas['JobShape'];

/** Tell each state of a job until it is over; gives the last one. */
export async function follow(id: string, report: (job: Job) => void): Promise<Job> {
  for (;;) {
    const job = await answerOf(api.GET('/api/jobs/{job}', { params: { path: { job: id } } }));
    report(job);
    if (job.state !== 'running') {
      await lookAtBooks();
      return job;
    }
    await new Promise((resolve) => setTimeout(resolve, ASK_AGAIN_MS));
  }
}

/** How the book stands that is shown, once work is over that may have changed it. */
async function lookAtBooks(): Promise<void> {
  const { books } = await answerOf(api.GET('/api/books'));
  const here = books.find((book) => book.id === address.book);
  if (here) seen.take(here.id, { revision: here.revision });
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
