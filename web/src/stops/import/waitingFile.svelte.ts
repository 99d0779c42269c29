/** One file that was sent: what the data say of it, what somebody said of it, and what would come of importing it. All
 * of it belongs to the file, so that nothing that is under way for one can land on another. */
import { api, answerOf, problemOf, type Problem, type Schemas } from '$lib/api/client';
import { finished, follow, stopped, type Job } from '$lib/jobs';
import {
  HAS,
  MEANING_WORDS,
  type Choice,
  type DateForm,
  type DecimalMark,
  type FileKind,
  type KeptAt,
  type Meaning,
  type OrderStatus,
  type OrdersBy,
  type TwoDigitYears,
} from './meanings';

const SAYS_NOTHING = new Set(
  (
    'a all copy data download export exports file final from full list new of pasted report rows table the to v ' +
    'jan feb mar apr may jun jul aug sep oct nov dec january february march april june july august september ' +
    'october november december'
  ).split(' '),
);
/** Files of up to this many rows are tried by themselves whenever something about them is changed. */
const TRIED_AT_ONCE_ROWS = 60_000;
const NO_WISH: Schemas['LookIn'] = { sheet: null, kind: null, source: '', columns: {}, choices: {} };

interface Said {
  key?: Schemas['KeyKind'];
  dates?: DateForm;
  decimal?: DecimalMark;
  years?: TwoDigitYears;
  ordersBy?: OrdersBy;
  status?: [string, OrderStatus];
  fillDown?: boolean;
  choice?: [Choice, string];
}

/** A source as the name of a file says it: web_orders_2025-03.csv is of the web orders. */
export function sourceOf(fileName: string): string {
  const words = fileName
    .replace(/(\.[a-z0-9]{1,8})+$/i, '')
    .split(/[^\p{L}]+/u)
    .filter((word) => word && !SAYS_NOTHING.has(word.toLowerCase()));
  return words.join(' ').toLowerCase().slice(0, 60) || 'shop';
}

export class WaitingFile {
  /** The file as it was looked at last. */
  file = $state.raw() as Schemas['FileShape'];
  source = $state('');
  /** What somebody said; null leaves it to the data. A column and what it was said to mean, in sequence. */
  #changes = $state.raw<[string, Meaning | null][]>([]);
  #key = $state<Schemas['KeyKind'] | null>(null);
  #dates = $state<DateForm | null>(null);
  #decimal = $state<DecimalMark | null>(null);
  #years = $state<TwoDigitYears | null>(null);
  #ordersBy = $state<OrdersBy | null>(null);
  #statuses = $state.raw<Record<string, OrderStatus>>({});
  #further = $state.raw<Record<string, KeptAt>>({});
  #fillDown = $state<boolean | null>(null);
  #choices = $state.raw<Partial<Record<Choice, string>>>({});
  /** What would come of the file as it is read now; undefined until it was tried. */
  tried = $state.raw<Schemas['ReportShape']>();
  problem = $state.raw<Problem>();
  /** Whether the file is being looked at anew; until then nobody knows how it is to be read. */
  looking = $state(false);
  /** How many surveys by other columns are under way; the file must not be imported, and be gone, before they end. */
  surveying = $state(0);
  /** A trial that somebody asked for, and can stop. */
  trial = $state.raw<Job>();
  /** The sheet and the kind that were chosen, until a look at the file as that has come back. */
  #wanted: { sheet?: string; kind?: FileKind } = {};
  #glance = 0;
  #attempt = 0;
  #surveys = 0;
  /** The request that began the last trial; the file must not be imported, and be gone, before it was answered. */
  #begun: Promise<unknown> = Promise.resolve();
  readonly book: number;

  constructor(book: number, file: Schemas['FileShape']) {
    this.book = book;
    this.file = file;
    this.source = file.source || sourceOf(file.file_name);
  }

  /** Which column carries each meaning: as guessed or remembered, changed where somebody said so. */
  readonly columns = $derived.by(() => {
    let columns: Partial<Record<Meaning, string>> = this.file.columns;
    for (const [column, meaning] of this.#changes) {
      const kept = Object.entries(columns).filter(([known, name]) => name !== column && known !== meaning);
      columns = Object.fromEntries(meaning ? [...kept, [meaning, column]] : kept);
    }
    return columns;
  });
  readonly customerKey = $derived.by(() => this.#key ?? this.file.customer_key);

  readonly dates = $derived(this.#dates ?? this.file.dates ?? null);
  readonly decimal = $derived(this.#decimal ?? this.file.decimal ?? null);
  readonly years = $derived(this.#years ?? this.file.years ?? null);
  readonly statuses = $derived(
    this.columns.status
      ? this.file.statuses.map((known) => ({ ...known, status: this.#statuses[known.word] ?? known.status }))
      : [],
  );
  readonly missing = $derived.by((): Meaning[] => {
    const { columns } = this;
    if (this.file.kind === 'customers')
      return columns.customer_number || columns.email ? [] : ['customer_number'];
    const inParts: Partial<Record<Meaning, unknown>> = {
      amount: this.multiplied || (columns.debit && columns.credit),
      date: columns.year && columns.month && columns.day,
      order_number: this.makesOrders,
    };
    return this.file.needed.filter((meaning) => !columns[meaning] && !inParts[meaning]);
  });
  /** What the file's columns do not settle, each with the answer that holds; empty until somebody says it. */
  readonly questions = $derived.by(() =>
    this.file.questions.map((each) => ({ ...each, answer: this.#choices[each.choice] ?? each.answer })),
  );
  /** Whether orders are made of lines by customer and date, because no column has their number. */
  readonly makesOrders = $derived.by(() => this.file.kind === 'lines' && !this.columns.order_number);
  readonly ordersBy = $derived.by(() => this.#ordersBy ?? this.file.orders_by);
  /** Whether blank cells of merged-looking columns repeat the one above; null until somebody says. */
  readonly fillDown = $derived.by(() => this.#fillDown ?? this.file.fill_down);
  /** Meanings whose column was found by what stands in it alone, and was not changed since. */
  readonly byContent = $derived.by(() =>
    this.file.by_content.filter((meaning) => this.columns[meaning] === this.file.columns[meaning]),
  );
  /** Whether amounts are quantity times unit price, because no column has them. */
  readonly multiplied = $derived.by(
    () =>
      this.file.kind === 'lines' &&
      !this.columns.amount &&
      this.columns.quantity !== undefined &&
      this.columns.unit_price !== undefined,
  );
  /** Whether nothing but their names tells customers apart. */
  readonly namesOnly = $derived.by(
    () => this.file.names_only !== '' && this.columns.customer === this.file.names_only,
  );
  /** What somebody must say before the file can be imported. */
  readonly open = $derived.by((): string[] => {
    const { file } = this;
    const { date, amount } = HAS[file.kind];
    const unexplained = this.statuses.filter((known) => known.status === null).map((known) => known.word);
    return [
      ...(this.source === '' ? ['Say which source the file is from.'] : []),
      ...(this.missing.length
        ? [`Say which column holds the ${this.missing.map((m) => MEANING_WORDS[m]).join(', the ')}.`]
        : []),
      ...file.unread
        .filter(({ meaning, values }) => this.missing.includes(meaning) && values.length > 0)
        .map(({ meaning, column, values }) => {
          const quoted = values.map((value) => `“${value}”`).join(', ');
          return `“${column}” has ${quoted}, which is not understood as ${MEANING_WORDS[meaning]}.`;
        }),
      ...this.questions.filter(({ answer }) => !answer).map(({ text }) => text),
      ...(date && this.dates === null
        ? [`Say whether the day or the month comes first: ${file.dates_open}.`]
        : []),
      ...(amount && this.decimal === null
        ? [`Say what stands before the decimals: is ${file.decimal_open} more than a thousand?`]
        : []),
      ...(date && file.years_open && this.years === null
        ? [`Say how years of two digits are read, as in ${file.short_year}.`]
        : []),
      ...(file.merged.length > 0 && this.fillDown === null
        ? [`Say what blank cells below a filled one mean: in ${file.merged.join(', ')}.`]
        : []),
      ...(unexplained.length ? [`Say what these statuses mean: ${unexplained.join(', ')}.`] : []),
    ];
  });
  readonly ready = $derived(!this.looking && this.surveying === 0 && this.open.length === 0);
  readonly triedAtOnce = $derived(this.file.row_estimate <= TRIED_AT_ONCE_ROWS);

  /** What is known of a column of orders without a meaning, and where it is kept. */
  furtherOf(column: string): { found: Schemas['FurtherShape']; at: KeptAt } | null {
    const found = this.meaningOf(column) ? undefined : this.file.further.find((each) => each.name === column);
    return found ? { found, at: this.#further[column] ?? found.at } : null;
  }

  /** Say where a further column is kept; it then has no other meaning. */
  async keep(column: string, at: KeptAt): Promise<void> {
    this.#further = { ...this.#further, [column]: at };
    if (this.meaningOf(column)) await this.setMeaning(column, null);
    else this.attempt();
  }

  meaningOf(column: string): Meaning | null {
    return (
      (Object.entries(this.columns).find(([, name]) => name === column)?.[0] as Meaning | undefined) ?? null
    );
  }

  /** Look at the file as another kind, at another sheet of it, or as a file of another source. */
  async look(change: { kind?: FileKind; sheet?: string; source?: string }): Promise<void> {
    // a sheet or a kind that was chosen while another look is under way stays chosen; another sheet finds its own kind
    const { source = this.source, ...wanted } = change;
    this.#wanted = wanted.sheet === undefined ? { ...this.#wanted, ...wanted } : wanted;
    const glance = ++this.#glance;
    // at once, so that saying the same again asks nothing again, and what is said meanwhile stays said
    this.source = source;
    this.looking = true;
    this.#forgetTrial();
    // another source may read the file otherwise, and still what somebody said of it holds
    if (change.kind !== undefined || change.sheet !== undefined) this.#sayNothing();
    const query = {
      sheet: this.file.sheet,
      ...this.#wanted,
      ...(source ? { source } : {}),
      choices: this.#choices,
    };
    await this.#unlessRefused(async () => {
      const looked = await this.#looked(query);
      if (glance !== this.#glance) return;
      this.file = looked;
      this.#wanted = {};
      if (this.#changes.length > 0) await this.#survey();
      if (glance !== this.#glance) return;
      this.looking = false;
      this.attempt();
    });
    if (glance === this.#glance) this.looking = false;
  }

  /** Say what a column means; a meaning stands over one column only. */
  async setMeaning(column: string, meaning: Meaning | null): Promise<void> {
    this.#changes = [...this.#changes, [column, meaning]];
    await this.#survey();
    this.attempt();
  }

  /** Say something about how the file is read; what would come of it is found out anew. */
  say({ key, dates, decimal, years, ordersBy, status, fillDown, choice }: Said): void {
    if (key) this.#key = key;
    if (dates) this.#dates = dates;
    if (decimal) this.#decimal = decimal;
    if (years) this.#years = years;
    if (ordersBy) this.#ordersBy = ordersBy;
    if (fillDown !== undefined) this.#fillDown = fillDown;
    if (status) this.#statuses = { ...this.#statuses, [status[0]]: status[1] };
    if (choice) this.#choices = { ...this.#choices, [choice[0]]: choice[1] };
    // a table that is turned has other columns
    if (choice?.[0] === 'wide') void this.look({});
    else this.attempt();
  }

  /** Try a small file by itself; a large one is tried when somebody asks for it. */
  attempt(): void {
    this.tried = undefined;
    this.problem = undefined;
    if (this.ready && this.triedAtOnce) void this.tryIt();
  }

  /** Find out what would come of the file. An answer to an older question is passed over. */
  async tryIt(): Promise<void> {
    const attempt = ++this.#attempt;
    const isShown = !this.triedAtOnce;
    await this.#unlessRefused(async () => {
      const begun = this.#send(true);
      this.#begun = begun.catch(() => undefined);
      const { id } = await begun;
      const ended = await follow(id, (job) => {
        if (isShown && attempt === this.#attempt) this.trial = job;
      });
      if (attempt !== this.#attempt) return;
      this.trial = undefined;
      this.problem = ended.error ?? undefined;
      this.tried = ended.report ?? undefined;
    });
  }

  stopTrial(): void {
    if (this.trial) void stopped(this.trial);
  }

  /** Begin to import it. */
  async deliver(acceptRejected: boolean): Promise<Job> {
    this.#attempt += 1;
    this.#glance += 1;
    this.problem = undefined;
    await this.#begun;
    return this.#send(false, acceptRejected);
  }

  #send(dryRun: boolean, acceptRejected = false): Promise<Job> {
    const { file } = this;
    const columns = this.#said();
    return answerOf(
      api.POST('/api/books/{book}/deliveries', {
        params: { path: { book: this.book } },
        body: {
          upload: file.upload,
          sheet: file.sheet,
          source: this.source,
          kind: file.kind,
          customer_key: this.customerKey,
          dates: this.#dates,
          decimal: this.#decimal,
          years: this.#years,
          orders_by: this.#ordersBy,
          statuses: this.#statuses,
          fill_down: this.#fillDown,
          dry_run: dryRun,
          accept_rejected: acceptRejected,
          choices: this.#choices,
          columns,
          further: Object.fromEntries(
            file.further.flatMap(({ name }) => {
              const further = this.furtherOf(name);
              return further ? [[name, further.at]] : [];
            }),
          ),
        },
      }),
    );
  }

  /** Every meaning with its column; null where it has none. */
  #said(): Partial<Record<Meaning, string | null>> {
    const { file } = this;
    return Object.fromEntries(
      [...file.needed, ...file.optional].map((meaning) => [meaning, this.columns[meaning] ?? null]),
    );
  }

  /** Find out anew how dates, amounts and statuses are written and what the further columns are, now that other columns
   * hold them. */
  async #survey(): Promise<void> {
    const { file } = this;
    const survey = ++this.#surveys;
    const query = {
      sheet: file.sheet,
      kind: file.kind,
      source: this.source,
      columns: this.#said(),
      choices: this.#choices,
    };
    this.surveying += 1;
    await this.#unlessRefused(async () => {
      const looked = await this.#looked(query);
      const { dates, dates_open, decimal, decimal_open, statuses, years_open, short_year } = looked;
      const { further, questions } = looked;
      // a look that came back meanwhile knows better
      if (this.file.upload !== file.upload || this.file.kind !== file.kind || survey !== this.#surveys)
        return;
      this.file = {
        ...this.file,
        ...{ dates, dates_open, decimal, decimal_open, statuses, years_open, short_year },
        ...{ further, questions },
      };
    });
    this.surveying -= 1;
  }

  async #looked(wanted: Partial<Schemas['LookIn']>): Promise<Schemas['FileShape']> {
    const path = { book: this.book, upload: this.file.upload };
    const begun = answerOf(
      api.POST('/api/books/{book}/uploads/{upload}/look', {
        params: { path },
        body: { ...NO_WISH, ...wanted },
      }),
    );
    const [file] = (await finished(begun, () => undefined)).files ?? [];
    if (!file) throw new Error('A look gives its file.');
    return file;
  }

  #forgetTrial(): void {
    this.#attempt += 1;
    this.trial = undefined;
    this.tried = undefined;
  }

  #sayNothing(): void {
    this.#changes = [];
    this.#key = null;
    this.#dates = null;
    this.#decimal = null;
    this.#years = null;
    this.#ordersBy = null;
    this.#statuses = {};
    this.#further = {};
    this.#fillDown = null;
    this.#choices = {};
  }

  async #unlessRefused(work: () => Promise<unknown>): Promise<void> {
    try {
      await work();
    } catch (error) {
      this.trial = undefined;
      this.problem = problemOf(error);
    }
  }
}
