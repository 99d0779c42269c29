"""What goes over the wire about what a book does by itself."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from goldthread.actions.schedules import ADDRESSES_MOST, schedule_words
from goldthread.actions.when import when_words
from goldthread.api.shapes.books import BookPath
from goldthread.core.choices import Beyond, RunState, ScheduleKind
from goldthread.intake.database import QUERY_LENGTH
from goldthread.shape import Id, Moment, Place, Shape
from goldthread.store.schedules import RunRow, ScheduleRow

Every = Annotated[str, Field(max_length=200, description="When, in words or as a cron expression.")]
Name = Annotated[str, Field(max_length=200)]


class SchedulePath(BookPath):
    schedule: Id


class LetterPath(BookPath):
    letter: Id


class WaitingPath(BookPath):
    waiting: Id


class RunShape(Shape):
    """One run (UTC). ``asked_by`` is null where the clock asked; ``skipped`` runs before it were missed."""

    id: int
    due_at: Moment
    begun_at: Moment
    ended_at: Moment | None
    state: RunState
    asked_by: str | None
    skipped: int
    said: str


class CoursePointShape(Shape):
    """A figure that is watched, on a day; null where nothing applied."""

    on: dt.date
    value: float | None


class ScheduleShape(Shape):
    """A schedule (UTC): what it does as a sentence, when in words and as a cron expression, and its last run. ``why``:
    what paused it; blank where a person did. Of a watch: its ``question`` and the ``query`` of its figure, the course
    of that, its bound, and since when it is beyond it."""

    id: int
    kind: ScheduleKind
    words: str
    when: str
    cron: str
    due_at: Moment
    paused: bool
    why: str
    made_by: str
    source: str
    name: str
    question: str
    query: str
    last: RunShape | None
    course: list[CoursePointShape]
    bound: float | None
    turned: dt.date | None

    @classmethod
    def of(cls, row: ScheduleRow) -> ScheduleShape:
        return cls.like(
            row,
            words=schedule_words(row),
            when=when_words(row.cron),
            source=row.about.get("source", ""),
            name=row.about.get("name", ""),
            question=row.about["of"] if row.kind is ScheduleKind.WATCH else "",
            query=row.about["query"] if row.kind is ScheduleKind.WATCH else "",
            course=[CoursePointShape.model_validate(each) for each in row.kept.get("course", [])],
            bound=row.about.get("bound"),
            turned=row.kept.get("turned"),
            last=None if row.last is None else RunShape.like(row.last),
        )


class SchedulesShape(Shape):
    schedules: list[ScheduleShape]


class RunsShape(Shape):
    """Some runs of a schedule, the newest first, and how many are kept."""

    total: int
    runs: list[RunShape]

    @classmethod
    def of(cls, total: int, rows: list[RunRow]) -> RunsShape:
        return cls(total=total, runs=RunShape.each_of(rows))


class FolderIn(BaseModel):
    """Files that come into a folder: in the inbox, or in one that the settings name."""

    kind: Literal[ScheduleKind.FOLDER]
    every: Every
    source: Name
    folder: Annotated[str, Field(max_length=1000)]


class QueryEveryIn(BaseModel):
    """Rows of a query to a database that the settings name; with a column it goes on from that one's last value."""

    kind: Literal[ScheduleKind.QUERY]
    every: Every
    source: Name
    database: Name
    query: Annotated[str, Field(max_length=QUERY_LENGTH)]
    since_column: Name = ""
    since: Name = ""


class LetterIn(BaseModel):
    """A letter: overview, the name of a saved view, or list:NAME, to some addresses."""

    kind: Literal[ScheduleKind.LETTER]
    every: Every
    letter: Name
    to: Annotated[list[Annotated[str, Field(max_length=200)]], Field(max_length=ADDRESSES_MOST)]
    attach: Literal["", "csv", "xlsx"] = ""
    only_new: bool = False


class WatchIn(BaseModel):
    """A figure that is watched: the question and the query of the figure behind it, as it is opened, with ``newest`` in
    place of a cohort or period for the newest that is over; or silence (source=), apart, checks of the whole book. The
    bound is in percent for shares, in units of the currency for money."""

    kind: Literal[ScheduleKind.WATCH]
    every: Every
    question: Name
    query: Annotated[str, Field(max_length=16_000)] = ""
    side: Beyond
    bound: float
    to: Annotated[list[Annotated[str, Field(max_length=200)]], Field(max_length=ADDRESSES_MOST)] = []


class ScheduleIn(BaseModel):
    """What is to be done again and again."""

    schedule: Annotated[FolderIn | QueryEveryIn | LetterIn | WatchIn, Field(discriminator="kind")]


class ScheduleChangeIn(BaseModel):
    """What becomes of a schedule: other times, or that it pauses or goes on."""

    every: Every | None = None
    paused: bool | None = None


class WhenQuery(BaseModel):
    """When, as somebody says it."""

    every: Every


class WhenShape(Shape):
    """The same as a cron expression and in our words, and the next times (with the book's own offset from UTC)."""

    cron: str
    words: str
    following: list[dt.datetime]


class WaitingShape(Shape):
    """A file that came by itself and waits for an answer (UTC)."""

    id: int
    source: str
    name: str
    why: str
    arrived_at: Moment


class WaitingFilesShape(Shape):
    files: list[WaitingShape]


class LetterShape(Shape):
    """A letter as it was sent (UTC), and what became of it at each address: blank where it was not come to."""

    id: int
    subject: str
    addresses: dict[str, str]
    made_at: Moment


class LettersShape(Shape):
    total: int
    letters: list[LetterShape]


class PagesQuery(BaseModel):
    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=200)] = 50
