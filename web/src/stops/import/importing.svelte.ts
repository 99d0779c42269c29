/** Files on their way into a book: sent, looked at, imported one after another. Kept for each book while the page is
 * open, so that nothing is lost when somebody looks at another stop meanwhile. */
import { api, answerOf, problem, problemOf, Refusal, type Problem, type Schemas } from '$lib/api/client';
import { finished, stopped, type Job } from '$lib/jobs';
import { work, type Work } from '$lib/work.svelte';
import { WaitingFile } from './waitingFile.svelte';

class Intake {
  queue = $state.raw<WaitingFile[]>([]);
  /** What became of the file that was imported last. */
  report = $state.raw<Schemas['ReportShape']>();
  /** What was wrong with files that were sent, each with its name, and with the import that ended last. */
  problems = $state.raw<readonly Problem[]>([]);
  /** The name of the file that is being sent. */
  sending = $state('');
  /** The work on a file that was sent: unpacking it, reading its tables, looking at them. */
  arriving = $state.raw<Job>();
  /** Between the click and the work. */
  #beginning = $state(false);
  readonly book: number;

  constructor(book: number) {
    this.book = book;
    const earlier = work.of(book);
    if (earlier) void work.ended(earlier).then((ended) => this.#ended(ended));
  }

  readonly first = $derived(this.queue[0]);
  /** An import that is under way, also one that an earlier page began. */
  get importing(): Work | undefined {
    return work.of(this.book);
  }

  get busy(): boolean {
    return this.#beginning || this.importing !== undefined;
  }

  /** Send files and look at them; those that cannot be read are reported, the others wait in a row. */
  async send(chosen: File[], limitMib: number): Promise<void> {
    this.problems = [];
    this.report = undefined;
    for (const file of chosen) {
      await this.#arrive(file.name, () => {
        if (file.size > limitMib * 1024 * 1024) throw new Refusal(tooLarge(file.name, limitMib));
        const form = new FormData();
        form.append('file', file);
        return answerOf(
          api.POST('/api/books/{book}/uploads', {
            params: { path: { book: this.book } },
            body: form as unknown as { file: string },
            bodySerializer: (body) => body as unknown as FormData,
          }),
        );
      });
    }
    this.sending = '';
  }

  /** Run query of a query to a database, and look at them like a file. */
  async ask(database: string, query: string): Promise<void> {
    this.problems = [];
    this.report = undefined;
    await this.#arrive(`rows of ${database}`, () =>
      answerOf(
        api.POST('/api/books/{book}/uploads/query', {
          params: { path: { book: this.book } },
          body: { database, query },
        }),
      ),
    );
    this.sending = '';
  }

  /** Look at a file that came by itself and waits; it goes the way of one that was sent. */
  async lookAt(waiting: number, name: string): Promise<void> {
    this.problems = [];
    this.report = undefined;
    await this.#arrive(name, () =>
      answerOf(
        api.POST('/api/books/{book}/waiting/{waiting}/look', {
          params: { path: { book: this.book, waiting } },
        }),
      ),
    );
    this.sending = '';
  }

  /** Follow what was sent until it was looked at. */
  async #arrive(name: string, begin: () => Promise<Job>): Promise<void> {
    this.sending = name;
    try {
      const looked = await finished(begin(), (job) => (this.arriving = job));
      const isFirst = this.queue.length === 0;
      this.queue = [...this.queue, ...(looked.files ?? []).map((each) => new WaitingFile(this.book, each))];
      if (isFirst) this.first?.attempt();
    } catch (error) {
      this.#fail(name, error);
    }
    this.arriving = undefined;
  }

  #fail(name: string, error: unknown): void {
    const problem = problemOf(error);
    this.problems = [...this.problems, { ...problem, title: `${name}: ${problem.title}` }];
  }

  /** Have another sheet of a workbook wait behind the files that wait already. */
  async also(file: WaitingFile, sheet: string): Promise<void> {
    try {
      const other = new WaitingFile(this.book, file.file);
      await other.look({ sheet });
      if (other.problem) throw new Refusal(other.problem);
      this.queue = [...this.queue, other];
    } catch (error) {
      this.#fail(sheet, error);
    }
  }

  /** Sheets of a workbook that read as something and do not wait yet. */
  otherSheets({ file }: WaitingFile): Schemas['SheetShape'][] {
    const waiting = this.queue
      .filter((each) => each.file.upload === file.upload)
      .map((each) => each.file.sheet);
    return file.other_sheets.filter(({ name }) => !waiting.includes(name));
  }

  stopArriving(): void {
    if (this.arriving) void stopped(this.arriving);
  }

  /** Import the first file and follow the work to its end; the next file comes up. */
  async deliver(acceptRejected = false): Promise<void> {
    const file = this.first;
    if (!file || this.busy) return;
    this.#beginning = true;
    this.problems = [];
    try {
      const job = await file.deliver(acceptRejected);
      const ended = work.run(job, this.book, `importing ${file.file.file_name}`);
      this.#beginning = false;
      this.#ended(await ended, file);
    } catch (error) {
      file.problem = problemOf(error);
    } finally {
      this.#beginning = false;
    }
  }

  /** Let the first file be. The book is as it is. */
  async forget(): Promise<void> {
    const file = this.first;
    if (!file) return;
    file.stopTrial();
    this.report = undefined;
    this.#next();
    // another sheet of it may wait
    if (this.queue.some((each) => each.file.upload === file.file.upload)) return;
    try {
      const path = { book: this.book, upload: file.file.upload };
      await answerOf(api.DELETE('/api/books/{book}/uploads/{upload}', { params: { path } }));
    } catch {
      // the server clears what is left lying
    }
  }

  #ended(ended: Job | undefined, file?: WaitingFile): void {
    if (file) file.problem = ended?.error ?? undefined;
    else this.problems = ended?.error ? [ended.error] : [];
    if (!ended?.report) return;
    if (file && ended.report.held_back) {
      file.tried = ended.report;
      return;
    }
    this.report = ended.report;
    if (file && (ended.report.delivery_id !== null || ended.report.earlier_delivered_at)) this.#next();
  }

  #next(): void {
    this.queue = this.queue.slice(1);
    this.first?.attempt();
  }
}

export type { Intake };

const intakes = new Map<number, Intake>();

/** The intake of a book: the same one for as long as the page is open. There are as many as books were looked at. */
export function intakeOf(book: number): Intake {
  const known = intakes.get(book);
  if (known) return known;
  // it outlives the component that asks for it first
  $effect.root(() => {
    intakes.set(book, new Intake(book));
  });
  return intakeOf(book);
}

function tooLarge(name: string, limitMib: number): Problem {
  return problem(
    'TooLarge',
    'Too large',
    `${name} is larger than ${limitMib} MiB.`,
    'Import it with goldthread deliver.',
    413,
  );
}
