"""What goes over the wire about files, deliveries and the work on them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Annotated, TypeVar

from pydantic import BaseModel, Field

from goldthread.actions.books import BookRow, DeliveryRow, OpenedDelivery, ProblemRow
from goldthread.actions.deliver import DeliveryReport, Withdrawal
from goldthread.actions.files import SentFile
from goldthread.actions.jobs import Job, JobState, LookedAt, Made, Result
from goldthread.actions.looking import (
    KINDS,
    SURVEYED_AT_A_LOOK,
    DateForm,
    DecimalMark,
    FileView,
    Meaning,
    Told,
    TwoDigitYears,
    encoding_words,
    read_both_ways,
    status_meanings,
)
from goldthread.actions.tables import plain_amount
from goldthread.api.problems import describe
from goldthread.api.shapes import BookPath, Id, Place, ProblemDetails, Shape
from goldthread.core.checks import Check
from goldthread.core.records import FileKind, KeyKind, OrderStatus

PROBLEMS_SHOWN = 200
Given = TypeVar("Given")
Shaped = TypeVar("Shaped")


class CountsShape(Shape):
    """``rows_read = rows_in + rows_repeated + rows_rejected``; added, changed and same count orders or customers."""

    rows_read: int
    rows_in: int
    rows_repeated: int
    rows_rejected: int
    added: int
    changed: int
    same: int
    customers_added: int


class DeliveryShape(Shape):
    id: int
    source: str
    kind: FileKind
    file_name: str
    by_hand: bool
    delivered_at: dt.datetime
    withdrawn_at: dt.datetime | None
    counts: CountsShape

    @classmethod
    def of(cls, row: DeliveryRow) -> DeliveryShape:
        return cls(
            id=row.id,
            source=row.source,
            kind=row.kind,
            file_name=row.file_name,
            by_hand=row.by_hand,
            delivered_at=row.delivered_at.replace(tzinfo=dt.UTC),
            withdrawn_at=row.withdrawn_at.replace(tzinfo=dt.UTC) if row.withdrawn_at else None,
            counts=CountsShape(**row.counts),
        )


class DeliveriesShape(Shape):
    """Some lines of the delivery log, newest first, and how many it has."""

    total: int
    deliveries: list[DeliveryShape]


class ProblemGroupShape(Shape):
    """Problems of one column and reason: how many, and some of the values. ``rejected`` false: they came in."""

    column: str
    reason: str
    remedy: str
    rejected: bool
    count: int
    examples: list[str]


class OpenedDeliveryShape(Shape):
    """A delivery with the columns that its file had, what they were read as, and its problems by reason."""

    delivery: DeliveryShape
    header: list[str]
    columns: dict[str, str]
    problems: list[ProblemGroupShape]

    @classmethod
    def of(cls, opened: OpenedDelivery) -> OpenedDeliveryShape:
        groups = [
            ProblemGroupShape(
                column=group.column,
                reason=group.reason,
                remedy=group.remedy,
                rejected=group.rejected,
                count=group.count,
                examples=[group.example],
            )
            for group in opened.groups
        ]
        return cls(delivery=DeliveryShape.of(opened.row), header=opened.header, columns=opened.columns, problems=groups)


class WithdrawalShape(Shape):
    """What a withdrawal undid: records that are gone, and records that are read again as they were before."""

    delivery: int
    file_name: str
    records_gone: int
    records_back: int
    customers_gone: int

    @classmethod
    def of(cls, undone: Withdrawal) -> WithdrawalShape:
        return cls(
            delivery=undone.delivery_id,
            file_name=undone.file_name,
            records_gone=undone.records_gone,
            records_back=undone.records_back,
            customers_gone=undone.customers_gone,
        )


class DeliveryPath(BookPath):
    delivery: Id


class PageQuery(BaseModel):
    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=500)] = 100


class RowProblemShape(Shape):
    """A row of a file with something wrong. ``rejected`` false: it came in all the same."""

    row: int
    column: str
    value: str
    reason: str
    remedy: str
    rejected: bool

    @classmethod
    def of(cls, problem: ProblemRow) -> RowProblemShape:
        return cls(**{name: getattr(problem, name) for name in cls.model_fields})


class RowProblemsShape(Shape):
    total: int
    problems: list[RowProblemShape]


class LookIn(Shape):
    """``date``, ``amount`` and ``status`` name the columns whose writing is surveyed, where not the guessed ones."""

    sheet: str | None = None
    kind: FileKind | None = None
    source: str = ""
    date: str | None = None
    amount: str | None = None
    status: str | None = None


class UploadPath(BookPath):
    upload: str


class StatusWordShape(Shape):
    """A status word of a file, how many of the rows looked at bear it, and what it comes down to; null: say it."""

    word: str
    count: int
    status: OrderStatus | None


class FileShape(Shape):
    """A file that was sent, before it goes in. ``columns`` is the guess: which column carries which meaning.

    ``dates`` and ``decimal`` are null where the data leave them open; an example read both ways is then told.
    ``short_year`` is a date with a year of two digits, which must be confirmed where ``years_open``. ``source`` is the
    one whose last file had the same columns; ``misfits`` say where its last reading does not fit any more.
    ``surveyed_rows`` is how many of its first rows were looked at for all this; null for all of them.
    """

    upload: str
    file_name: str
    encoding: str
    sheets: list[str]
    sheet: str
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
            surveyed_rows=None if evidence.whole else SURVEYED_AT_A_LOOK,
        )


class DeliveryIn(Shape):
    """How to bring an upload in. ``columns`` changes the guess; null leaves a meaning out.

    ``dates``, ``decimal`` and ``years`` are found out over the whole file, or remembered, where they are null.
    """

    upload: str
    sheet: str | None = None
    source: str
    kind: FileKind
    customer_key: KeyKind | None = None
    dates: DateForm | None = None
    decimal: DecimalMark | None = None
    years: TwoDigitYears | None = None
    statuses: dict[str, OrderStatus] = Field(default_factory=dict)
    dry_run: bool = False
    columns: dict[Meaning, str | None] = Field(default_factory=dict)

    def told(self) -> Told:
        return Told(self.columns, self.customer_key, self.dates, self.decimal, self.years, self.statuses)


class JobPath(BaseModel):
    job: str


class ChangeShape(Shape):
    """A record that the book tells otherwise: what differs, as it was and as the file tells it."""

    number: str
    was: str
    becomes: str


class ReportShape(Shape):
    """What became of a file, or would become of it. ``delivery_id`` is null when nothing was changed.

    ``amount_added``, ``amount_changed`` and ``amount_same`` are what the new, the changed and the same records do to
    the total; ``firsts_moved``, of a dry run, counts customers whose first order moves to an earlier date.
    """

    dry_run: bool
    delivery_id: int | None
    earlier_delivered_at: dt.datetime | None
    counts: CountsShape
    customers_known: int
    first_date: dt.date | None
    last_date: dt.date | None
    amount_added: str
    amount_changed: str
    amount_same: str
    negative: int
    amount_negative: str
    zero: int
    firsts_moved: int
    changes: list[ChangeShape]
    problem_count: int
    problem_groups: list[ProblemGroupShape]
    problems: list[RowProblemShape]

    @classmethod
    def of(cls, report: DeliveryReport) -> ReportShape:
        earlier = report.earlier_delivered_at
        groups = sorted(report.groups.values(), key=lambda group: (-group.count, group.column, group.reason))
        return cls(
            dry_run=report.dry_run,
            delivery_id=report.delivery_id,
            earlier_delivered_at=earlier.replace(tzinfo=dt.UTC) if earlier else None,
            counts=CountsShape(**report.counts()),
            customers_known=report.customers_known,
            first_date=report.first_date,
            last_date=report.last_date,
            amount_added=plain_amount(report.amount_added),
            amount_changed=plain_amount(report.amount_changed),
            amount_same=plain_amount(report.amount_same),
            negative=report.negative,
            amount_negative=plain_amount(report.amount_negative),
            zero=report.zero,
            firsts_moved=report.firsts_moved,
            changes=[ChangeShape(number=c.number, was=c.was, becomes=c.becomes) for c in report.changes],
            problem_count=report.problem_count,
            problem_groups=[
                ProblemGroupShape(
                    column=group.column,
                    reason=group.reason,
                    remedy=group.remedy,
                    rejected=group.rejected,
                    count=group.count,
                    examples=list(dict.fromkeys(problem.value for problem in group.examples)),
                )
                for group in groups
            ],
            problems=[
                RowProblemShape(**{name: getattr(problem, name) for name in RowProblemShape.model_fields})
                for problem in report.problems[:PROBLEMS_SHOWN]
            ],
        )


class CheckShape(Shape):
    """One identity of the definitions: what was found, what must be, and in which table it was looked at."""

    number: int
    claim: str
    where: str
    expected: int
    found: int
    holds: bool

    @classmethod
    def of(cls, check: Check) -> CheckShape:
        return cls(
            number=check.number,
            claim=check.claim,
            where=check.where,
            expected=check.expected,
            found=check.found,
            holds=check.holds,
        )


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
    error: ProblemDetails | None

    @classmethod
    def of(cls, job: Job) -> JobShape:
        result = job.result
        return cls(
            id=job.id,
            state=job.state,
            phase=job.phase,
            done=job.done,
            total=job.total,
            seconds_left=job.seconds_left,
            report=ReportShape.of(result) if isinstance(result, DeliveryReport) else None,
            files=_listed(result, LookedAt, lambda each: FileShape.of(each.sent, each.sheet, each.view)),
            withdrawal=WithdrawalShape.of(result) if isinstance(result, Withdrawal) else None,
            book=result.id if isinstance(result, BookRow) else None,
            checks=_listed(result, Check, CheckShape.of),
            file=result.name if isinstance(result, Made) else None,
            error=describe(job.error) if job.error else None,
        )


def _listed(result: Result | None, kind: type[Given], shape: Callable[[Given], Shaped]) -> list[Shaped] | None:
    """A result that is a list of one kind of things, each in its shape; None for any other result."""
    if not isinstance(result, list) or not all(isinstance(each, kind) for each in result):
        return None
    return [shape(each) for each in result if isinstance(each, kind)]
