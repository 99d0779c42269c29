"""Schedules and their runs, on record.

When something is due is decided by moments that the caller gives (UTC), so that any clock can stand behind them. A run
and the piece of work that does it are put down in one transaction with the next moment: none is lost or done twice.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, delete, func, insert, select, update

from goldthread.actor import actor
from goldthread.core.choices import JobState, Lane, RunState, ScheduleKind
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store import jobs
from goldthread.store.revisions import lock_book
from goldthread.store.schema.models import Book, Job
from goldthread.store.schema.rounds import SAID_LENGTH, WHY_LENGTH, Schedule, ScheduleRun
from goldthread.store.server.engine import moment
from goldthread.store.server.faults import tried_again

SCHEDULES_MOST, RUNS_KEPT = 100, 500
"""Schedules of one book; runs of one schedule."""
TAKEN_AT_ONCE = 20
RUN, SEND = "run schedule", "send letter"
"""The kinds of work that runs are."""
_OVER = (JobState.DONE, JobState.FAILED, JobState.STOPPED)


@dataclass(frozen=True)
class RunRow:
    """One run (UTC); ``asked_by`` is None where the clock asked."""

    id: int
    schedule: int
    due_at: dt.datetime
    begun_at: dt.datetime
    ended_at: dt.datetime | None
    state: RunState
    asked_by: str | None
    skipped: int
    said: str


@dataclass(frozen=True)
class Measured:
    """A figure that is watched, on a day: ``value`` as people say it (percent, units of the currency), None where
    nothing applies; ``low`` and ``high`` bound a share; ``unit`` stands behind it."""

    value: float | None
    low: float | None
    high: float | None
    unit: str
    words: str


@dataclass(frozen=True)
class Ended:
    """What came of a run: ``kept`` is what it leaves for the next ones, by name; None forgets it. ``again_at``: when it
    is tried again, where that is before it is due anyway."""

    state: RunState
    said: str
    kept: Mapping[str, Any] = field(default_factory=dict)
    again_at: dt.datetime | None = None


@dataclass(frozen=True)
class ScheduleRow:
    """A schedule (UTC), and its last run."""

    id: int
    book: int
    user: int | None
    made_by: str
    kind: ScheduleKind
    about: dict[str, Any]
    cron: str
    planned_at: dt.datetime
    due_at: dt.datetime
    tries: int
    paused: bool
    why: str
    kept: dict[str, Any]
    made_at: dt.datetime
    last: RunRow | None = None


_SCHEDULE = select(
    Schedule.id,
    Schedule.book_id,
    Schedule.user_id,
    Schedule.made_by,
    Schedule.kind,
    Schedule.about,
    Schedule.cron,
    Schedule.planned_at,
    Schedule.due_at,
    Schedule.tries,
    Schedule.paused,
    Schedule.why,
    Schedule.kept,
    Schedule.made_at,
)
_RUN = select(
    ScheduleRun.id,
    ScheduleRun.schedule_id,
    ScheduleRun.due_at,
    ScheduleRun.begun_at,
    ScheduleRun.ended_at,
    ScheduleRun.state,
    ScheduleRun.asked_by,
    ScheduleRun.skipped,
    ScheduleRun.said,
)


def moved(connection: Connection, book_id: int) -> None:
    """Note that what a book does by itself has changed, so that whoever looks at it asks anew."""
    connection.execute(update(Book).where(Book.id == book_id).values(rounds=Book.rounds + 1))


def add_schedule(
    engine: Engine, book_id: int, kind: ScheduleKind, about: Mapping[str, Any], cron: str, due_at: dt.datetime
) -> int:
    """Put down a schedule that acts for whoever acts; its number. Raises `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            count = select(func.count()).select_from(Schedule).where(Schedule.book_id == book_id)
            if connection.execute(count).scalar_one() >= SCHEDULES_MOST:
                raise TooLarge(f"This book has {SCHEDULES_MOST} schedules.", remedy="Remove one that is not needed.")
            values = {"book_id": book_id, "user_id": actor().user, "kind": kind, "about": dict(about), "cron": cron}
            moments = {"planned_at": due_at, "due_at": due_at, "made_at": moment()}
            made = connection.execute(insert(Schedule).values(**values, **moments, kept={})).inserted_primary_key
            moved(connection, book_id)
            return int(made[0]) if made else 0

    return tried_again(once)


def list_schedules(engine: Engine, book_id: int) -> list[ScheduleRow]:
    """The schedules of a book with the last run of each, in the sequence in which they were made."""
    return _schedules(engine, Schedule.book_id == book_id)


def find_schedule(engine: Engine, book_id: int, schedule: int) -> ScheduleRow:
    """One of them. Raises `NotFound`."""
    found = _schedules(engine, Schedule.book_id == book_id, Schedule.id == schedule)
    if not found:
        raise NotFound("There is no such schedule any more.", remedy="Look at the schedules of the book.")
    return found[0]


def _schedules(engine: Engine, *which: ColumnElement[bool]) -> list[ScheduleRow]:
    newest = select(func.max(ScheduleRun.id)).join(Schedule).where(*which).group_by(ScheduleRun.schedule_id)
    with engine.connect() as connection:
        rows = connection.execute(_SCHEDULE.where(*which).order_by(Schedule.id)).all()
        last = {run.schedule_id: RunRow(*run) for run in connection.execute(_RUN.where(ScheduleRun.id.in_(newest)))}
    return [replace(ScheduleRow(*row), last=last.get(row.id)) for row in rows]


def list_runs(engine: Engine, schedule: int, offset: int, limit: int) -> tuple[int, list[RunRow]]:
    """How many runs a schedule has had, of those that are kept, and some of them, the newest first."""
    mine = ScheduleRun.schedule_id == schedule
    with engine.connect() as connection:
        count = connection.execute(select(func.count()).select_from(ScheduleRun).where(mine)).scalar_one()
        rows = connection.execute(_RUN.where(mine).order_by(ScheduleRun.id.desc()).offset(offset).limit(limit))
        return int(count), [RunRow(*row) for row in rows]


def change_schedule(engine: Engine, row: ScheduleRow, **values: Any) -> None:
    """Change what a schedule says."""
    with engine.begin() as connection:
        connection.execute(update(Schedule).where(Schedule.id == row.id).values(**values))
        moved(connection, row.book)


def pause_schedule(engine: Engine, row: ScheduleRow, why: str) -> None:
    """Have a schedule run no more until somebody wants that; ``why``: what keeps it from running, blank where a person
    wants it so."""
    change_schedule(engine, row, paused=True, why=why[:WHY_LENGTH])


def remove_schedule(engine: Engine, row: ScheduleRow) -> None:
    """Remove a schedule with its runs. What it sent stays on record, and so do files that wait."""
    with engine.begin() as connection:
        connection.execute(delete(ScheduleRun).where(ScheduleRun.schedule_id == row.id))
        connection.execute(delete(Schedule).where(Schedule.id == row.id))
        moved(connection, row.book)


NextAfter = Callable[[ScheduleRow, dt.datetime], tuple[dt.datetime, int]]
"""When a schedule runs next after a moment, and how many times it should have run between its planned moment and
then."""


def take_due(engine: Engine, at: dt.datetime, next_after: NextAfter) -> int:
    """Begin every run that is due at a moment; how many. A schedule whose last run is under way waits for it."""
    due = (~Schedule.paused, Schedule.due_at <= at)
    with engine.connect() as connection:
        numbers = connection.execute(select(Schedule.id).where(*due).order_by(Schedule.due_at).limit(TAKEN_AT_ONCE))
        wanted = list(numbers.scalars())
    return sum(_take(engine, number, at, next_after) for number in wanted)


def _take(engine: Engine, number: int, at: dt.datetime, next_after: NextAfter) -> bool:
    with engine.begin() as connection:
        which = (Schedule.id == number, ~Schedule.paused, Schedule.due_at <= at)
        found = connection.execute(_SCHEDULE.where(*which).with_for_update(skip_locked=True)).first()
        if found is None:
            return False
        row = ScheduleRow(*found)
        if _is_under_way(connection, row, at):
            return False
        skipped = 0
        if row.due_at < row.planned_at:
            values: dict[str, Any] = {"due_at": row.planned_at}
        else:
            following, skipped = next_after(row, at)
            values = {"due_at": following, "planned_at": following, "tries": 0}
        connection.execute(update(Schedule).where(Schedule.id == number).values(**values))
        _begin(connection, row, at, row.due_at, None, skipped, {})
        return True


def run_now(engine: Engine, row: ScheduleRow, at: dt.datetime, asked_by: str, told: Mapping[str, Any]) -> str:
    """Begin a run that somebody asks for; the piece of work that does it. Raises `Conflict` while one is under way."""
    with engine.begin() as connection:
        connection.execute(select(Schedule.id).where(Schedule.id == row.id).with_for_update())
        if _is_under_way(connection, row, at):
            raise Conflict("This schedule is running now.", remedy="Wait until that is over.")
        return _begin(connection, row, at, at, asked_by, 0, told)


def _begin(
    connection: Connection,
    row: ScheduleRow,
    at: dt.datetime,
    due_at: dt.datetime,
    asked_by: str | None,
    skipped: int,
    further: Mapping[str, Any],
) -> str:
    job_id = uuid.uuid4().hex
    values = {"schedule_id": row.id, "job_id": job_id, "due_at": due_at, "begun_at": at, "asked_by": asked_by}
    made = connection.execute(
        insert(ScheduleRun).values(**values, skipped=skipped, state=RunState.RUNNING, said="")
    ).inserted_primary_key
    told = {"book": row.book, "schedule": row.id, "run": int(made[0]) if made else 0, "at": at.isoformat()}
    kind, lane = (SEND, Lane.MAIL) if row.kind is ScheduleKind.LETTER else (RUN, Lane.WORK)
    jobs.put_down_with(connection, job_id, kind, {**told, **further}, lane)
    return job_id


def _is_under_way(connection: Connection, row: ScheduleRow, at: dt.datetime) -> bool:
    """Whether the last run is not over yet. One whose work has ended without a word has failed."""
    running = select(ScheduleRun.id, Job.state).outerjoin(Job, Job.id == ScheduleRun.job_id)
    mine = (ScheduleRun.schedule_id == row.id, ScheduleRun.state == RunState.RUNNING)
    is_under_way = False
    for number, state in connection.execute(running.where(*mine)).all():
        if state is None or state in _OVER:
            ended = {"state": RunState.FAILED, "ended_at": at, "said": "It was broken off."}
            connection.execute(update(ScheduleRun).where(ScheduleRun.id == number).values(**ended))
        else:
            is_under_way = True
    return is_under_way


def end_run(engine: Engine, row: ScheduleRow, run: int, at: dt.datetime, ended: Ended) -> None:
    """Put down what came of a run."""
    with engine.begin() as connection:
        told = {"state": ended.state, "ended_at": at, "said": ended.said[:SAID_LENGTH]}
        connection.execute(update(ScheduleRun).where(ScheduleRun.id == run).values(**told))
        keep_with(connection, row.id, ended.kept)
        values: dict[str, Any] = {"tries": Schedule.tries + 1 if ended.state is RunState.FAILED else 0}
        if ended.again_at is not None:
            values |= {"due_at": func.least(Schedule.planned_at, ended.again_at)}
        connection.execute(update(Schedule).where(Schedule.id == row.id).values(**values))
        runs = select(ScheduleRun.id).where(ScheduleRun.schedule_id == row.id).order_by(ScheduleRun.id.desc())
        old = connection.execute(runs.offset(RUNS_KEPT).limit(RUNS_KEPT)).scalars().all()
        if old:
            connection.execute(delete(ScheduleRun).where(ScheduleRun.id.in_(old)))
        moved(connection, row.book)


def keep(engine: Engine, schedule: int, kept: Mapping[str, Any]) -> None:
    """Put down what a run leaves for whoever goes on with it."""
    with engine.begin() as connection:
        keep_with(connection, schedule, kept)


def keep_with(connection: Connection, schedule: int, kept: Mapping[str, Any]) -> None:
    """The same in a transaction of the caller's, beside what is kept already; None forgets."""
    which = Schedule.id == schedule
    known = dict(connection.execute(select(Schedule.kept).where(which).with_for_update()).scalar() or {})
    left = {name: value for name, value in (known | dict(kept)).items() if value is not None}
    connection.execute(update(Schedule).where(which).values(kept=left))
