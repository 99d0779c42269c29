/** Files of the server, handed to the browser; what keeps one from being made is told on the page. */
import { handOver, Refusal, type Problem } from './api/client';
import { finished, type Job } from './jobs';

const UNNAMED = 'gold-thread';
const ACCEPTED = 202;

/** Fetch a file and hand it over under the name that the server gives it. Where writing it takes a while, the work is
 * told as it goes on. Throws a `Refusal`. */
export async function download(path: string, tell: (job: Job) => void = () => undefined): Promise<void> {
  let reply = await fetch(path);
  if (reply.status === ACCEPTED) {
    const made = await finished(reply.json() as Promise<Job>, tell);
    reply = await fetch(`/api/jobs/${made.id}/file`);
  }
  if (!reply.ok) throw new Refusal((await reply.json()) as Problem);
  handOver(await reply.blob(), nameIn(reply.headers.get('Content-Disposition') ?? ''));
}

function nameIn(disposition: string): string {
  const [, coded] = /filename\*=UTF-8''([^;]+)/i.exec(disposition) ?? [];
  if (coded) return decodeURIComponent(coded);
  const [, plain] = /filename="?([^";]+)"?/i.exec(disposition) ?? [];
  return plain ?? UNNAMED;
}
