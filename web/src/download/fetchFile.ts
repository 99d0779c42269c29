/** Files of the server, handed to the browser; what keeps one from being made is shown on the page. */
import { Refusal, refusalOf, UNREACHABLE } from '$lib/api/client';
import { finished, type Job } from '$lib/jobs';
import { ROOT } from '$lib/root';
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
  const reply = await reached(path, accept);
  if (reply.status === ACCEPTED) {
    const made = await finished(reply.json() as Promise<Job>, report);
    follow(made);
    return;
  }
  if (!reply.ok) throw refusalOf(await reply.json().catch(() => undefined), reply.status);
  handOver(await reply.blob(), nameIn(reply.headers.get('Content-Disposition') ?? ''));
}

/** The file that a piece of work made, taken by the browser itself: it may be larger than the page's memory. */
export function follow({ id }: Job): void {
  handOver(`${ROOT}/api/jobs/${id}/file`);
}

/** A reply, whatever it says; a server that is not there refuses too. */
async function reached(path: string, accept: string): Promise<Response> {
  try {
    return await fetch(ROOT + path, { headers: { Accept: accept } });
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
