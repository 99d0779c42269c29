/** Files on their way into the book: sent, looked at, confirmed, tried, brought in one after another. */
import { api, problemOf, Refusal, told, type Problem, type Schemas } from '$lib/api/client';
import { finished, follow, stop, type Job } from '$lib/jobs';
import {
  HAS,
  MEANING_WORDS,
  type DateForm,
  type DecimalMark,
  type FileKind,
  type Meaning,
  type OrderStatus,
  type TwoDigitYears,
} from './meanings';

/** Files of up to this many rows are tried by themselves whenever something about them is changed. */
const TRIED_AT_ONCE_ROWS = 60_000;
const SURVEYED: Meaning[] = ['date', 'amount', 'status'];
const NOTHING_CHOSEN = { sheet: null, kind: null };
const NO_WISH: Schemas['LookIn'] = {
  sheet: null,
  kind: null,
  source: '',
  date: null,
  amount: null,
  status: null,
};

export class Intake {
  queue = $state.raw<Schemas['FileShape'][]>([]);
  source = $state('');
  customerKey = $state<Schemas['KeyKind']>('number');
  /** What the user said; null leaves it to the data. */
  toldDates = $state<DateForm | null>(null);
  toldDecimal = $state<DecimalMark | null>(null);
  toldYears = $state<TwoDigitYears | null>(null);
  toldStatuses = $state.raw<Record<string, OrderStatus>>({});
  columns = $state.raw<Partial<Record<Meaning, string>>>({});
  job = $state.raw<Schemas['JobShape']>();
  /** What became of the file that was brought in last. */
  report = $state.raw<Schemas['ReportShape']>();
  /** What would come of the file at hand, as it is read now; undefined until it was tried. */
  tried = $state.raw<Schemas['ReportShape']>();
  problem = $state.raw<Problem>();
  sending = $state('');
  /** The work on a file that was sent: unpacking it, reading its tables, looking at them. */
  arriving = $state.raw<Job>();
  /** Whether the file is being looked at anew; until then nobody knows how it is to be read. */
  looking = $state(false);
  /** The sheet and the kind that were chosen, until a look at the file as that has come back. */
  #chosen: { sheet: string | null; kind: FileKind | null } = NOTHING_CHOSEN;
  #trial = 0;
  #glance = 0;
  /** The request that began the last trial; the file must not go in, and be gone, before it was answered. */
  #begun: Promise<unknown> = Promise.resolve();

  readonly file = $derived(this.queue[0]);
  readonly dates = $derived(this.toldDates ?? this.file?.dates ?? null);
  readonly decimal = $derived(this.toldDecimal ?? this.file?.decimal ?? null);
  readonly years = $derived(this.toldYears ?? this.file?.years ?? null);
  readonly statuses = $derived(
    this.columns.status && this.file
      ? this.file.statuses.map((known) => ({
          ...known,
          status: this.toldStatuses[known.word] ?? known.status,
        }))
      : [],
  );
  readonly missing = $derived.by((): Meaning[] => {
    if (!this.file) return [];
    if (this.file.kind === 'customers') {
      return this.columns.customer_number || this.columns.email ? [] : ['customer_number'];
    }
    return this.file.needed.filter((meaning) => !this.columns[meaning]);
  });
  /** What somebody must say before the file can go in. */
  readonly open = $derived.by((): string[] => {
    const file = this.file;
    if (!file) return [];
    const { date, amount } = HAS[file.kind];
    const unexplained = this.statuses.filter((known) => known.status === null).map((known) => known.word);
    return [
      ...(this.source === '' ? ['Say which source the file is from.'] : []),
      ...(this.missing.length
        ? [`Say which column holds the ${this.missing.map((m) => MEANING_WORDS[m]).join(', the ')}.`]
        : []),
      ...(date && this.dates === null
        ? [`Say whether the day or the month comes first: ${file.dates_open}.`]
        : []),
      ...(amount && this.decimal === null
        ? [`Say what stands before the decimals: is ${file.decimal_open} more than a thousand?`]
        : []),
      ...(date && file.years_open && this.years === null
        ? [`Say how years of two digits are read, as in ${file.short_year}.`]
        : []),
      ...(unexplained.length ? [`Say what these statuses mean: ${unexplained.join(', ')}.`] : []),
    ];
  });
  readonly ready = $derived(this.file !== undefined && !this.looking && this.open.length === 0);
  readonly triedAtOnce = $derived((this.file?.row_estimate ?? 0) <= TRIED_AT_ONCE_ROWS);
  readonly running = $derived(this.job?.state === 'running');

  constructor(
    readonly book: number,
    readonly changed: () => Promise<void>,
  ) {}

  /** Send files and look at them; those that cannot be read are told, the others wait in a row. */
  async send(chosen: File[], limitMib: number): Promise<void> {
    this.problem = undefined;
    this.report = undefined;
    for (const file of chosen) {
      this.sending = file.name;
      await this.#told(async () => {
        if (file.size > limitMib * 1024 * 1024) throw new Refusal(tooLarge(file.name, limitMib));
        const form = new FormData();
        form.append('file', file);
        const looked = await finished(
          told(
            api.POST('/api/books/{book}/uploads', {
              params: { path: { book: this.book } },
              body: form as unknown as { file: string },
              bodySerializer: (body) => body as unknown as FormData,
            }),
          ),
          (job) => (this.arriving = job),
        );
        const first = this.queue.length === 0;
        this.queue = [...this.queue, ...(looked.files ?? [])];
        if (first) this.#begin();
      });
      this.arriving = undefined;
    }
    this.sending = '';
  }

  /** Look at the file as another kind, at another sheet of it, or as a file of another source. */
  async look(change: { kind?: FileKind; sheet?: string; source?: string }): Promise<void> {
    const file = this.file;
    if (!file) return;
    // a sheet or a kind that was chosen while another look is under way stays chosen
    this.#chosen = {
      sheet: change.sheet ?? this.#chosen.sheet ?? file.sheet,
      kind: change.kind ?? (change.sheet === undefined ? this.#chosen.kind : null),
    };
    const { sheet, kind } = this.#chosen;
    const source = change.source ?? this.source;
    const glance = ++this.#glance;
    // at once, so that saying the same again asks nothing again, and what is said meanwhile stays said
    this.source = source;
    this.looking = true;
    this.#sayNothing();
    const { columns, customerKey } = this;
    const query = {
      sheet,
      ...(kind ? { kind } : {}),
      ...(source ? { source } : {}),
    };
    await this.#told(async () => {
      const looked = await this.#looked(file.upload, query);
      if (glance !== this.#glance || this.file?.upload !== file.upload) return;
      this.#replace(looked);
      this.#chosen = NOTHING_CHOSEN;
      if (this.columns === columns) this.columns = looked.columns;
      if (this.customerKey === customerKey) this.customerKey = looked.customer_key;
      this.looking = false;
      this.attempt();
    });
    if (glance === this.#glance) this.looking = false;
  }

  /** Say what a column means; a meaning stands over one column only. */
  async setMeaning(column: string, meaning: Meaning | null): Promise<void> {
    const before = this.columns;
    const kept = Object.entries(before).filter(([known, name]) => name !== column && known !== meaning);
    this.columns = Object.fromEntries(meaning ? [...kept, [meaning, column]] : kept);
    if (SURVEYED.some((each) => this.columns[each] && this.columns[each] !== before[each])) {
      await this.#survey();
    }
    this.attempt();
  }

  meaningOf(column: string): Meaning | null {
    return (
      (Object.entries(this.columns).find(([, name]) => name === column)?.[0] as Meaning | undefined) ?? null
    );
  }

  /** Say something about how the file is read; what would come of it is found out anew. */
  say(change: {
    key?: Schemas['KeyKind'];
    dates?: DateForm;
    decimal?: DecimalMark;
    years?: TwoDigitYears;
    status?: [string, OrderStatus];
  }): void {
    if (change.key) this.customerKey = change.key;
    if (change.dates) this.toldDates = change.dates;
    if (change.decimal) this.toldDecimal = change.decimal;
    if (change.years) this.toldYears = change.years;
    if (change.status) this.toldStatuses = { ...this.toldStatuses, [change.status[0]]: change.status[1] };
    this.attempt();
  }

  /** Try a small file by itself; a large one is tried when somebody asks for it. */
  attempt(): void {
    this.tried = undefined;
    this.problem = undefined;
    if (this.ready && this.triedAtOnce) void this.tryIt();
  }

  /** Find out what would come of the file. An answer to an older question is passed over. */
  async tryIt(): Promise<void> {
    const trial = ++this.#trial;
    const watched = !this.triedAtOnce;
    await this.#told(async () => {
      const starting = this.#start(true);
      this.#begun = starting.catch(() => undefined);
      const started = await starting;
      const ended = await follow(started.id, (job) => {
        if (watched && trial === this.#trial) this.job = job;
      });
      if (trial !== this.#trial) return;
      this.problem = ended.error ?? undefined;
      this.tried = ended.report ?? undefined;
    });
  }

  /** Bring the file in and follow the work to its end; the next file comes up. */
  async deliver(): Promise<void> {
    this.#trial++;
    this.#glance++;
    await this.#told(async () => {
      this.problem = undefined;
      await this.#begun;
      this.job = await this.#start(false);
      const ended = await follow(this.job.id, (job) => (this.job = job));
      this.problem = ended.error ?? undefined;
      if (!ended.report) return;
      this.report = ended.report;
      if (ended.report.delivery_id !== null || ended.report.earlier_delivered_at) {
        this.queue = this.queue.slice(1);
        this.#begin();
      }
      await this.changed();
    });
  }

  async stop(job: Job | undefined = this.job): Promise<void> {
    if (job) await this.#told(() => stop(job));
  }

  /** Let the file at hand be. The book is as it is. */
  async forget(): Promise<void> {
    const upload = this.file?.upload;
    this.queue = this.queue.slice(1);
    this.report = undefined;
    this.#begin();
    if (upload)
      await api.DELETE('/api/books/{book}/uploads/{upload}', {
        params: { path: { book: this.book, upload } },
      });
  }

  #start(dryRun: boolean): Promise<Schemas['JobShape']> {
    const file = this.file;
    if (!file) throw new Error('There is no file at hand.');
    const columns = Object.fromEntries(
      [...file.needed, ...file.optional].map((meaning) => [meaning, this.columns[meaning] ?? null]),
    );
    return told(
      api.POST('/api/books/{book}/deliveries', {
        params: { path: { book: this.book } },
        body: {
          upload: file.upload,
          sheet: file.sheet,
          source: this.source,
          kind: file.kind,
          customer_key: this.customerKey,
          dates: this.toldDates,
          decimal: this.toldDecimal,
          years: this.toldYears,
          statuses: this.toldStatuses,
          dry_run: dryRun,
          columns,
        },
      }),
    );
  }

  /** Find out anew how dates, amounts and statuses are written, now that other columns hold them. */
  async #survey(): Promise<void> {
    const file = this.file;
    if (!file) return;
    const { date, amount, status } = this.columns;
    const query = {
      sheet: file.sheet,
      kind: file.kind,
      source: this.source,
      ...(date ? { date } : {}),
      ...(amount ? { amount } : {}),
      ...(status ? { status } : {}),
    };
    await this.#told(async () => {
      const { dates, dates_open, decimal, decimal_open, statuses, years_open, short_year } =
        await this.#looked(file.upload, query);
      if (this.file?.upload !== file.upload) return;
      this.#replace({
        ...file,
        dates,
        dates_open,
        decimal,
        decimal_open,
        statuses,
        years_open,
        short_year,
      });
    });
  }

  async #looked(upload: string, wanted: Partial<Schemas['LookIn']>): Promise<Schemas['FileShape']> {
    const path = { book: this.book, upload };
    const begun = told(
      api.POST('/api/books/{book}/uploads/{upload}/look', {
        params: { path },
        body: { ...NO_WISH, ...wanted },
      }),
    );
    const [file] = (await finished(begun, () => undefined)).files ?? [];
    if (!file) throw new Error('A look gives its file.');
    return file;
  }

  #replace(file: Schemas['FileShape']): void {
    this.queue = [file, ...this.queue.slice(1)];
  }

  /** Take the file at hand as it was looked at, with nothing said about it yet. */
  #begin(): void {
    const file = this.file;
    this.#sayNothing();
    this.#chosen = NOTHING_CHOSEN;
    this.looking = false;
    if (!file) return;
    this.source = file.source;
    this.columns = file.columns;
    this.customerKey = file.customer_key;
    this.attempt();
  }

  #sayNothing(): void {
    this.job = undefined;
    this.tried = undefined;
    this.toldDates = null;
    this.toldDecimal = null;
    this.toldYears = null;
    this.toldStatuses = {};
  }

  async #told(work: () => Promise<unknown>): Promise<void> {
    try {
      await work();
    } catch (error) {
      this.problem = problemOf(error);
    }
  }
}

function tooLarge(name: string, limitMib: number): Problem {
  return {
    type: 'urn:goldthread:TooLarge',
    title: 'Too large',
    status: 413,
    detail: `${name} is larger than ${limitMib} MiB.`,
    remedy: 'Bring it in with goldthread deliver.',
    field: '',
    row: null,
    at: null,
  };
}
