"""What goes over the wire about files, deliveries and the work on them."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.books import OpenedDelivery
from goldthread.actions.deciding import answer_of, encoding_words, kept_at, read_both_ways, status_meanings
from goldthread.actions.inspecting import NOTHING_GIVEN, FileView, Given
from goldthread.actions.reports import DeliveryShape, ProblemGroupShape, ReportShape, RowProblemShape, WithdrawalShape
from goldthread.actions.uploads import SentFile
from goldthread.api.shapes.books import BookPath, ProblemDetails
from goldthread.core.choices import JobState
from goldthread.core.records import AttributeType, FileKind, KeyKind, OrderStatus
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears
from goldthread.intake.meanings import KINDS, Choice, KeptAt, Meaning, OrdersBy
from goldthread.intake.questions import Question
from goldthread.intake.reading import Reading
from goldthread.shape import Id, Place, Shape
from goldthread.store.jobs import JobRow


class DeliveriesShape(Shape):
    """Some lines of the delivery log, newest first, and how many it has."""

    total: int
    deliveries: list[DeliveryShape]


class OpenedDeliveryShape(Shape):
    """A delivery with the columns that its file had, what they were read as, where further columns of orders were kept,
    and its problems by reason."""

    delivery: DeliveryShape
    header: list[str]
    columns: dict[str, str]
    kept: dict[str, KeptAt]
    problems: list[ProblemGroupShape]

    @classmethod
    def of(cls, opened: OpenedDelivery) -> OpenedDeliveryShape:
        groups = [ProblemGroupShape.like(group, examples=[group.example]) for group in opened.groups]
        return cls(
            delivery=DeliveryShape.of(opened.row),
            header=opened.header,
            columns=opened.columns,
            kept=opened.kept,
            problems=groups,
        )


class DeliveryPath(BookPath):
    delivery: Id


class PageQuery(BaseModel):
    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=500)] = 100


class RowProblemsShape(Shape):
    total: int
    problems: list[RowProblemShape]


class LookIn(Shape):
    """``columns`` names the columns that carry meanings, where not the guessed ones (null: none); ``choices`` are
    answers to what the file leaves open."""

    sheet: str | None = None
    kind: FileKind | None = None
    source: str = ""
    columns: dict[Meaning, str | None] = Field(default_factory=dict)
    choices: dict[Choice, str] = Field(default_factory=dict)

    def given(self) -> Given:
        return Given(self.columns, choices=self.choices)


class QueryIn(Shape):
    """A query (SQL) to a database by the name that the settings give it. It is read, and nothing else can be done."""

    database: str
    query: str


class UploadPath(BookPath):
    upload: str


class StatusWordShape(Shape):
    """A status word of a file, how many of the rows looked at bear it, and what it comes down to; null: say it."""

    word: str
    count: int
    status: OrderStatus | None


class FurtherShape(Shape):
    """A column of orders or lines without a meaning: where it is kept, unless somebody says otherwise, and why.

    ``values`` different ones; ``customers_several`` and ``orders_several`` have more than one. ``about``: of a very
    large file only some of the customers were looked at.
    """

    name: str
    at: KeptAt
    proposed: KeptAt
    type: AttributeType
    why: str
    values: int
    customers_several: int
    orders_several: int
    about: bool


class AnswerOfShape(Shape):
    """An answer to a question about a file, and how it is said."""

    answer: str
    words: str


class AskedShape(Shape):
    """Something that a file leaves open: a sentence, and the answers that there are. ``answer`` is the one that holds
    unless somebody says otherwise; empty where somebody must say it."""

    choice: Choice
    text: str
    answer: str
    answers: list[AnswerOfShape]

    @classmethod
    def of(cls, question: Question, last: Reading | None) -> AskedShape:
        return cls(
            choice=question.choice,
            text=question.text,
            answer=answer_of(question, NOTHING_GIVEN, last),
            answers=[AnswerOfShape(answer=answer, words=words) for answer, words in question.answers.items()],
        )


class UnreadShape(Shape):
    """A column whose name speaks of a meaning, and some of its values, which cannot be read so."""

    meaning: Meaning
    column: str
    values: list[str]


class SheetShape(Shape):
    """A sheet of a workbook, and what its rows seem to be."""

    name: str
    kind: FileKind


class FileShape(Shape):
    """A file that was sent, before it is imported. ``columns`` is the guess: which column carries which meaning.

    ``dates`` and ``decimal`` are null where the data leave them open; an example read both ways is then shown.
    ``short_year`` is a date with a year of two digits, which must be confirmed where ``years_open``. ``source`` is the
    one whose last file had the same columns; ``misfits`` say where its last reading does not fit any more. ``why`` says
    what the kind was seen by, ``others`` what the file would be as another kind, or lacks for it; ``names_only`` is the
    column of names that is all it says of customers, or empty. ``orders_by`` says what makes lines one order where no
    column has its number. ``merged`` are columns whose blank cells may repeat the one above, which somebody must say
    unless ``fill_down`` remembers it. ``by_content``: meanings whose column was found by what stands in it alone.
    ``other_sheets`` read as something too. ``surveyed_rows`` is always null: all rows are looked at. ``questions`` are
    what its columns do not settle. ``unread``: columns whose names speak of a meaning that is missing.
    """

    upload: str
    file_name: str
    encoding: str
    sheets: list[str]
    sheet: str
    other_sheets: list[SheetShape]
    source: str
    remembered: bool
    misfits: list[str]
    header: list[str]
    header_row: int
    first_rows: list[list[str]]
    first_numbers: list[int]
    row_estimate: int
    kind: FileKind
    kinds: list[FileKind]
    why: str
    others: dict[FileKind, str]
    names_only: str
    orders_by: OrdersBy
    customer_key: KeyKind
    columns: dict[Meaning, str]
    needed: list[Meaning]
    optional: list[Meaning]
    dates: DateForm | None
    dates_open: str
    decimal: DecimalMark | None
    decimal_open: str
    years: TwoDigitYears | None
    years_open: bool
    short_year: str
    statuses: list[StatusWordShape]
    further: list[FurtherShape]
    merged: list[str]
    fill_down: bool | None
    by_content: list[Meaning]
    questions: list[AskedShape]
    unread: list[UnreadShape]
    surveyed_rows: int | None

    @classmethod
    def of(cls, sent: SentFile, sheet: str, view: FileView) -> FileShape:
        last, evidence = view.remembered, view.evidence
        known = status_meanings(evidence, last)
        counted = evidence.statuses
        return cls(
            upload=sent.token,
            file_name=sent.name,
            encoding=encoding_words(view.file),
            sheets=[table.name for table in sent.tables if table.name],
            sheet=sheet,
            other_sheets=[
                SheetShape.like(table) for table in sent.tables if table.kind is not None and table.name != sheet
            ],
            source=view.source,
            remembered=last is not None,
            misfits=list(view.misfits),
            header=list(view.file.header),
            header_row=view.file.header_row,
            first_rows=[list(row) for row in view.file.first_rows],
            first_numbers=list(view.file.first_numbers),
            row_estimate=view.file.row_estimate,
            kind=view.guess.kind,
            kinds=list(KINDS),
            why=view.guess.why,
            others=view.guess.others,
            names_only=view.guess.names_only,
            orders_by=last.orders_by if last else OrdersBy.TIME,
            customer_key=view.guess.customer_key,
            columns=view.guess.columns,
            needed=list(view.needed),
            optional=list(view.optional),
            dates=evidence.dates.form or (last.dates if last else None),
            dates_open=read_both_ways(evidence.dates.open) if evidence.dates.open else "",
            decimal=evidence.amounts.mark or (last.decimal if last else None),
            decimal_open=evidence.amounts.open,
            years=last.years if last else None,
            years_open=evidence.dates.years_open,
            short_year=evidence.dates.short_year,
            statuses=[
                StatusWordShape(word=counted.words[word], count=count, status=known.get(word))
                for word, count in counted.counts.most_common()
            ],
            further=[
                FurtherShape.like(
                    column,
                    at=kept_at(column, NOTHING_GIVEN, last),
                    proposed=column.proposed.at,
                    type=column.proposed.type,
                )
                for column in evidence.further
            ],
            merged=list(view.merged),
            fill_down=bool(last.fill_down) if last else None,
            by_content=[meaning for meaning in view.guess.by_content if meaning in view.guess.columns],
            questions=[AskedShape.of(question, last) for question in view.questions],
            unread=[
                UnreadShape(meaning=meaning, column=column, values=list(values))
                for meaning, (column, values) in view.guess.unread.items()
            ],
            surveyed_rows=None,
        )


class DeliveryIn(Shape):
    """How to import an upload. ``columns`` changes the guess; null leaves a meaning out.

    ``dates``, ``decimal`` and ``years`` are found out over the whole file, or remembered, where they are null. Unless
    ``accept_rejected``, nothing is imported when more than 2 % of the rows or of the amount would be left out.
    """

    upload: str
    sheet: str | None = None
    source: str
    kind: FileKind
    customer_key: KeyKind | None = None
    dates: DateForm | None = None
    decimal: DecimalMark | None = None
    orders_by: OrdersBy | None = None
    years: TwoDigitYears | None = None
    statuses: dict[str, OrderStatus] = Field(default_factory=dict)
    dry_run: bool = False
    columns: dict[Meaning, str | None] = Field(default_factory=dict)
    further: dict[str, KeptAt] = Field(default_factory=dict)
    fill_down: bool | None = None
    choices: dict[Choice, str] = Field(default_factory=dict)
    accept_rejected: bool = False

    def given(self) -> Given:
        return Given(
            self.columns,
            self.customer_key,
            self.dates,
            self.decimal,
            self.years,
            self.statuses,
            self.orders_by,
            self.further,
            self.fill_down,
            self.choices,
        )


class JobPath(BaseModel):
    job: str


class CheckShape(Shape):
    """One check of an identity of the definitions: what was found, what must be, and in which table."""

    number: int
    identity: str
    claim: str
    where: str
    expected: int
    found: int
    holds: bool


class MailedShape(Shape):
    """What became of the messages of a list in all; ``unknown``: everything ended while they were handed over."""

    sent: int
    refused: int
    unknown: int


class JobShape(Shape):
    """Work under way, and what came of it at the end: the report of a delivery, files that were looked at, what a
    withdrawal undid, the number of a book that is back, checks, or the name of a file that can be taken."""

    id: str
    state: JobState
    phase: str
    done: int
    total: int
    seconds_left: float | None
    report: ReportShape | None
    files: list[FileShape] | None
    withdrawal: WithdrawalShape | None
    book: int | None
    checks: list[CheckShape] | None
    file: str | None
    mailed: MailedShape | None
    error: ProblemDetails | None

    @classmethod
    def of(cls, job: JobRow) -> JobShape:
        """What came of it is as the worker told it; one that waits is under way for whoever asks."""
        nothing = dict.fromkeys(("report", "files", "withdrawal", "book", "checks", "file", "mailed", "error"))
        state = JobState.RUNNING if job.state is JobState.WAITING else job.state
        how_far = {name: getattr(job, name) for name in ("id", "phase", "done", "total", "seconds_left")}
        return cls.model_validate({**nothing, **(job.told or {}), **how_far, "state": state})
