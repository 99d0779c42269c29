"""What goes over the wire about files, deliveries and the work on them."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.books import DeliveryRow, ProblemRow
from goldthread.actions.deliver import (
    DateForm,
    DecimalMark,
    DeliveryReport,
    FileView,
    Meaning,
    encoding_words,
    read_both_ways,
)
from goldthread.actions.jobs import Job, JobState
from goldthread.actions.uploads import Upload
from goldthread.api.shapes import BookPath, ProblemDetails, Shape
from goldthread.core.records import FileKind, KeyKind

PROBLEMS_SHOWN = 200


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
    delivered_at: dt.datetime
    counts: CountsShape

    @classmethod
    def of(cls, row: DeliveryRow) -> DeliveryShape:
        return cls(
            id=row.id,
            source=row.source,
            kind=row.kind,
            file_name=row.file_name,
            delivered_at=row.delivered_at.replace(tzinfo=dt.UTC),
            counts=CountsShape(**row.counts),
        )


class DeliveriesShape(Shape):
    deliveries: list[DeliveryShape]


class DeliveryPath(BookPath):
    delivery: int


class PageQuery(BaseModel):
    offset: Annotated[int, Field(ge=0)] = 0
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


class LookQuery(BaseModel):
    """``date`` and ``amount`` name the columns whose writing is surveyed, where they are not the guessed ones."""

    kind: FileKind | None = None
    date: str | None = None
    amount: str | None = None


class UploadPath(BookPath):
    upload: str


class FileShape(Shape):
    """A file that was sent, before it goes in. ``columns`` is the guess: which column carries which meaning.

    ``dates`` and ``decimal`` are null where the data leave them open; an example read both ways is then told.
    """

    upload: str
    file_name: str
    encoding: str
    header: list[str]
    first_rows: list[list[str]]
    row_estimate: int
    kind: FileKind
    customer_key: KeyKind
    columns: dict[Meaning, str]
    needed: list[Meaning]
    optional: list[Meaning]
    missing: list[Meaning]
    dates: DateForm | None
    dates_open: str
    decimal: DecimalMark | None
    decimal_open: str

    @classmethod
    def of(cls, upload: Upload, view: FileView) -> FileShape:
        return cls(
            upload=upload.token,
            file_name=upload.name,
            encoding=encoding_words(view),
            header=list(view.file.header),
            first_rows=[list(row) for row in view.file.first_rows],
            row_estimate=view.file.row_estimate,
            kind=view.guess.kind,
            customer_key=view.guess.customer_key,
            columns=view.guess.columns,
            needed=list(view.needed),
            optional=list(view.optional),
            missing=view.guess.missing,
            dates=view.evidence.dates.form,
            dates_open=read_both_ways(view.evidence.dates.open) if view.evidence.dates.open else "",
            decimal=view.evidence.amounts.mark,
            decimal_open=view.evidence.amounts.open,
        )


class DeliveryIn(Shape):
    """How to bring an upload in. ``columns`` changes the guess; null leaves a meaning out.

    ``dates`` and ``decimal`` are found out over the whole file where they are null.
    """

    upload: str
    source: str
    kind: FileKind
    customer_key: KeyKind | None = None
    dates: DateForm | None = None
    decimal: DecimalMark | None = None
    dry_run: bool = False
    columns: dict[Meaning, str | None] = Field(default_factory=dict)


class JobPath(BaseModel):
    job: str


class ReportShape(Shape):
    """What became of a file, or would become of it. ``delivery_id`` is null when nothing was changed."""

    dry_run: bool
    delivery_id: int | None
    earlier_delivered_at: dt.datetime | None
    counts: CountsShape
    problem_count: int
    problems: list[RowProblemShape]

    @classmethod
    def of(cls, report: DeliveryReport) -> ReportShape:
        earlier = report.earlier_delivered_at
        return cls(
            dry_run=report.dry_run,
            delivery_id=report.delivery_id,
            earlier_delivered_at=earlier.replace(tzinfo=dt.UTC) if earlier else None,
            counts=CountsShape(**report.counts()),
            problem_count=len(report.problems),
            problems=[
                RowProblemShape(**{name: getattr(problem, name) for name in RowProblemShape.model_fields})
                for problem in report.problems[:PROBLEMS_SHOWN]
            ],
        )


class JobShape(Shape):
    """A delivery under way."""

    id: str
    state: JobState
    phase: str
    done: int
    total: int
    seconds_left: float | None
    report: ReportShape | None
    error: ProblemDetails | None

    @classmethod
    def of(cls, job: Job, error: ProblemDetails | None) -> JobShape:
        return cls(
            id=job.id,
            state=job.state,
            phase=job.phase,
            done=job.done,
            total=job.total,
            seconds_left=job.seconds_left,
            report=ReportShape.of(job.report) if job.report else None,
            error=error,
        )
