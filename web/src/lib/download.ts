/** Files of the server, handed to the browser; what keeps one from being made is told on the page. */
import { handOver, Refusal, type Problem } from './api/client';

const UNNAMED = 'gold-thread';

/** Fetch a file and hand it over under the name that the server gives it. Throws a `Refusal`. */
export async function download(path: string): Promise<void> {
  const reply = await fetch(path);
  if (!reply.ok) throw new Refusal((await reply.json()) as Problem);
  handOver(await reply.blob(), nameIn(reply.headers.get('Content-Disposition') ?? ''));
}

function nameIn(disposition: string): string {
  const [, coded] = /filename\*=UTF-8''([^;]+)/i.exec(disposition) ?? [];
  if (coded) return decodeURIComponent(coded);
  const [, plain] = /filename="?([^";]+)"?/i.exec(disposition) ?? [];
  return plain ?? UNNAMED;
}
