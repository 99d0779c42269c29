/** One file on its way into the book: sent, looked at, confirmed, brought in. */
import { api, problemOf, told, type Problem, type Schemas } from '$lib/api/client';
import { follow } from '$lib/jobs';
import type { DateForm, DecimalMark, FileKind, Meaning } from './meanings';

export class Intake {
  file = $state.raw<Schemas['FileShape']>();
  source = $state('');
  customerKey = $state<Schemas['KeyKind']>('number');
  /** What the user said; null leaves it to the data. */
  toldDates = $state<DateForm | null>(null);
  toldDecimal = $state<DecimalMark | null>(null);
  columns = $state.raw<Partial<Record<Meaning, string>>>({});
  job = $state.raw<Schemas['JobShape']>();
  report = $state.raw<Schemas['ReportShape']>();
  problem = $state.raw<Problem>();
  sending = $state(false);

  readonly dates = $derived(this.toldDates ?? this.file?.dates ?? null);
  readonly decimal = $derived(this.toldDecimal ?? this.file?.decimal ?? null);
  /** Questions that the data leave open, each with an example. */
  readonly open = $derived.by((): string[] => {
    const file = this.file;
    if (!file || file.kind === 'customers') return [];
    return [
      ...(this.dates === null ? [`Say whether the day or the month comes first: ${file.dates_open}.`] : []),
      ...(this.decimal === null
        ? [`Say what stands before the decimals: is ${file.decimal_open} more than a thousand?`]
        : []),
    ];
  });
  readonly running = $derived(this.job?.state === 'running');
  readonly missing = $derived.by((): Meaning[] => {
    if (!this.file) return [];
    if (this.file.kind === 'customers') {
      return this.columns.customer_number || this.columns.email ? [] : ['customer_number'];
    }
    return this.file.needed.filter((meaning) => !this.columns[meaning]);
  });

  constructor(
    readonly book: number,
    readonly changed: () => Promise<void>,
  ) {}

  /** Send a file and look at it. */
  async send(chosen: File): Promise<void> {
    this.forget();
    this.sending = true;
    const form = new FormData();
    form.append('file', chosen);
    await this.#told(async () => {
      this.#look(
        await told(
          api.POST('/api/books/{book}/uploads', {
            params: { path: { book: this.book } },
            body: form as unknown as { file: string },
            bodySerializer: (body) => body as unknown as FormData,
          }),
        ),
      );
    });
    this.sending = false;
  }

  /** Look at the file as another kind. */
  async setKind(kind: FileKind): Promise<void> {
    const upload = this.file?.upload;
    if (!upload) return;
    await this.#told(async () => {
      this.#look(
        await told(
          api.GET('/api/books/{book}/uploads/{upload}', {
            params: { path: { book: this.book, upload }, query: { kind } },
          }),
        ),
      );
    });
  }

  /** Say what a column means; a meaning stands over one column only. */
  async setMeaning(column: string, meaning: Meaning | null): Promise<void> {
    const kept = Object.entries(this.columns).filter(([known, name]) => name !== column && known !== meaning);
    this.columns = Object.fromEntries(meaning ? [...kept, [meaning, column]] : kept);
    if (meaning === 'date' || meaning === 'amount') await this.#survey();
  }

  meaningOf(column: string): Meaning | null {
    return (
      (Object.entries(this.columns).find(([, name]) => name === column)?.[0] as Meaning | undefined) ?? null
    );
  }

  /** Bring the file in, or only find out what would come of it; follow the work to its end. */
  async deliver(dryRun = false): Promise<void> {
    const file = this.file;
    if (!file) return;
    const columns = Object.fromEntries(
      [...file.needed, ...file.optional].map((meaning) => [meaning, this.columns[meaning] ?? null]),
    );
    await this.#told(async () => {
      this.problem = undefined;
      this.job = await told(
        api.POST('/api/books/{book}/deliveries', {
          params: { path: { book: this.book } },
          body: {
            upload: file.upload,
            source: this.source,
            kind: file.kind,
            customer_key: this.customerKey,
            dates: this.toldDates,
            decimal: this.toldDecimal,
            dry_run: dryRun,
            columns,
          },
        }),
      );
      const ended = await follow(this.job.id, (job) => (this.job = job));
      this.problem = ended.error ?? undefined;
      if (!ended.report) return;
      this.report = ended.report;
      if (ended.report.delivery_id !== null || ended.report.earlier_delivered_at) this.file = undefined;
      await this.changed();
    });
  }

  async stop(): Promise<void> {
    const job = this.job;
    if (job)
      await this.#told(() => told(api.DELETE('/api/jobs/{job}', { params: { path: { job: job.id } } })));
  }

  /** Start over. The book is as it is. */
  forget(): void {
    this.file = undefined;
    this.job = undefined;
    this.report = undefined;
    this.problem = undefined;
  }

  /** Find out anew how dates and amounts are written, now that other columns hold them. */
  async #survey(): Promise<void> {
    const file = this.file;
    if (!file) return;
    const { date, amount } = this.columns;
    const query = { kind: file.kind, ...(date ? { date } : {}), ...(amount ? { amount } : {}) };
    await this.#told(async () => {
      const { dates, dates_open, decimal, decimal_open } = await told(
        api.GET('/api/books/{book}/uploads/{upload}', {
          params: { path: { book: this.book, upload: file.upload }, query },
        }),
      );
      this.file = { ...file, dates, dates_open, decimal, decimal_open };
    });
  }

  #look(file: Schemas['FileShape']): void {
    this.file = file;
    this.columns = file.columns;
    this.customerKey = file.customer_key;
    this.toldDates = null;
    this.toldDecimal = null;
  }

  async #told(work: () => Promise<unknown>): Promise<void> {
    try {
      await work();
    } catch (error) {
      this.problem = problemOf(error);
    }
  }
}
