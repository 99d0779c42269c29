/** One file on its way to the browser: being made, refused or taken. */
import { problemOf, type Problem } from '$lib/api/client';
import type { Job } from '$lib/jobs';
import { fetchFile } from './fetchFile';

export class Download {
  making = $state(false);
  /** The work on the server, where writing the file takes a while. */
  job = $state.raw<Job>();
  problem = $state.raw<Problem>();
  done = $state(false);

  /** A file of the server. */
  fetch(path: string, accept?: string): Promise<void> {
    return this.run(() => fetchFile(path, (now) => (this.job = now), accept));
  }

  /** Anything that ends with a file. What is under way is not begun again. */
  async run(work: () => Promise<void>): Promise<void> {
    if (this.making) return;
    this.making = true;
    this.done = false;
    this.problem = undefined;
    try {
      await work();
      this.done = true;
    } catch (error) {
      this.problem = problemOf(error);
    } finally {
      this.making = false;
      this.job = undefined;
    }
  }
}
