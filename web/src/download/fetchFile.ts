/** Files of the server, handed to the browser; what keeps one from being made is shown on the page. */
import { Refusal, UNREACHABLE, type Problem } from '$lib/api/client';
import { finished, type Job } from '$lib/jobs';
import { handOver } from './handOver';

const UNNAMED = 'gold-thread';
const ACCEPTED = 202;

/** Fetch a file and hand it over under the name that the server gives it. Where writing it takes a while, the work is
 * called as it goes on. Throws a `Refusal`. */
export async function fetchFile(
  path: string,
  report: (job: Job) => void = () => undefined,
  accept = '*/*',
): Promise<void> {
  let reply = await reached(path, accept);
  if (reply.status === ACCEPTED) {
    const made = await finished(reply.json() as Promise<Job>, report);
    reply = await reached(`/api/jobs/${made.id}/file`, accept);
  }
  if (!reply.ok) throw new Refusal((await reply.json()) as Problem);
  handOver(await reply.blob(), nameIn(reply.headers.get('Content-Disposition') ?? ''));
}

/** A reply, whatever it says; a server that is not there refuses too. */
async function reached(path: string, accept: string): Promise<Response> {
  try {
    return await fetch(path, { headers: { Accept: accept } });
  } catch {
    throw new Refusal(UNREACHABLE);
  }
}

function nameIn(disposition: string): string {
  const [, coded] = /filename\*=UTF-8''([^;]+)/i.exec(disposition) ?? [];
  if (coded) return decodeURIComponent(coded);
  const [, plain] = /filename="?([^";]+)"?/i.exec(disposition) ?? [];
  return plain ?? UNNAMED;
}
