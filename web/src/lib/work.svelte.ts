/** Long work on books that goes on wherever the page is: shown from anywhere, and found again after a reload. */
import { problemOf, UNREACHABLE, type Problem } from './api/client';
import { follow, stopped, type Job } from './jobs';
import { keep, kept } from './kept';

interface Kept {
  job: string;
  book: number;
  words: string;
}

const KEPT = 'goldthread-work';
/** More would not be looked at; the server bounds how many there can be. */
const MOST_KEPT = 8;

export class Work {
  job = $state.raw<Job>();
  problem = $state.raw<Problem>();

  constructor(
    readonly id: string,
    readonly book: number,
    /** What it is, as "importing counter.csv". */
    readonly words: string,
  ) {}

  stop(): void {
    if (this.job) void stopped(this.job);
  }
}

class WorkUnderWay {
  all = $state.raw<readonly Work[]>([]);
  /** Works that were over when somebody looked last: what became of them is said once. */
  readonly #ended = new Map<string, Promise<Job | undefined>>();
  /** Works of which the server has said that they are over, or that it knows nothing of them. */
  readonly #over = new Set<string>();

  constructor() {
    this.#follow();
    // what another tab begins is followed here too
    addEventListener('storage', (event) => {
      if (event.key === KEPT) this.#follow();
    });
  }

  #follow(): void {
    for (const { job, book, words } of known())
      if (!this.all.some((each) => each.id === job) && !this.#over.has(job))
        void this.#begin(job, book, words);
  }

  /** Follow work that was begun to its end; gives its last state, or nothing where the server could not be asked. */
  run(job: Job, book: number, words: string): Promise<Job | undefined> {
    return this.#begin(job.id, book, words, job);
  }

  of(book: number): Work | undefined {
    return this.all.find((work) => work.book === book);
  }

  /** The end of work that an earlier page began. */
  async ended(work: Work): Promise<Job | undefined> {
    return this.#ended.get(work.id);
  }

  #begin(id: string, book: number, words: string, first?: Job): Promise<Job | undefined> {
    const work = new Work(id, book, words);
    work.job = first;
    this.#put([...this.all, work]);
    const ended = this.#followed(work);
    this.#ended.set(id, ended);
    return ended;
  }

  async #followed(work: Work): Promise<Job | undefined> {
    try {
      const ended = await follow(work.id, (now) => (work.job = now));
      work.problem = ended.error ?? undefined;
      this.#over.add(work.id);
      return ended;
    } catch (error) {
      work.problem = problemOf(error);
      // a page that is left breaks off what it asks: the next one asks after the work again
      if (work.problem.type !== UNREACHABLE.type) this.#over.add(work.id);
      return undefined;
    } finally {
      this.#put(this.all.filter((each) => each !== work));
      this.#ended.delete(work.id);
    }
  }

  #put(works: readonly Work[]): void {
    this.all = works;
    const all = new Map(known().map((each) => [each.job, each]));
    for (const { id, book, words } of works) all.set(id, { job: id, book, words });
    const running = [...all.values()].filter((each) => !this.#over.has(each.job));
    keep(KEPT, running.slice(-MOST_KEPT));
  }
}

function known(): Kept[] {
  const found = kept(KEPT);
  return Array.isArray(found) ? (found as Kept[]) : [];
}

export const work = new WorkUnderWay();
