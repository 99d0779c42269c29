/** Work under way on the server, asked after until it ends. */
import { api, told, type Schemas } from './api/client';

const ASK_AGAIN_MS = 150;

/** Tell each state of a job until it is over; gives the last one. */
export async function follow(
  id: string,
  tell: (job: Schemas['JobShape']) => void,
): Promise<Schemas['JobShape']> {
  for (;;) {
    const job = await told(api.GET('/api/jobs/{job}', { params: { path: { job: id } } }));
    tell(job);
    if (job.state !== 'running') return job;
    await new Promise((resolve) => setTimeout(resolve, ASK_AGAIN_MS));
  }
}
