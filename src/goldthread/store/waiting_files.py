"""Files that came by themselves and wait for an answer, on record; and what else of a book's round needs somebody."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import Engine, delete, func, insert, select, true

from goldthread.core.choices import RunState
from goldthread.errors import NotFound, TooLarge
from goldthread.store.revisions import lock_book
from goldthread.store.schedules import ScheduleRow, keep_with, list_schedules, moved
from goldthread.store.schema.rounds import WHY_LENGTH, WaitingFile

WAITING_MOST = 200
"""Of one book."""


@dataclass(frozen=True)
class WaitingRow:
    """A file that waits for an answer (UTC)."""

    id: int
    schedule: int | None
    source: str
    name: str
    path: str
    why: str
    since: dict[str, str] | None
    arrived_at: dt.datetime


_WAITING = select(
    WaitingFile.id,
    WaitingFile.schedule_id,
    WaitingFile.source,
    WaitingFile.name,
    WaitingFile.path,
    WaitingFile.why,
    WaitingFile.since,
    WaitingFile.arrived_at,
)


def add_waiting(engine: Engine, row: ScheduleRow, at: dt.datetime, since: dict[str, str] | None, **what: str) -> int:
    """Put down that a file waits; its number. Raises `TooLarge`."""
    what["why"] = what["why"][:WHY_LENGTH]
    with engine.begin() as connection:
        lock_book(connection, row.book)
        mine = WaitingFile.book_id == row.book
        if connection.execute(select(func.count()).select_from(WaitingFile).where(mine)).scalar_one() >= WAITING_MOST:
            raise TooLarge(f"{WAITING_MOST} files wait already.", remedy="Import or leave out some of them on Import.")
        values = {"book_id": row.book, "schedule_id": row.id, "arrived_at": at, "since": since}
        made = connection.execute(insert(WaitingFile).values(**values, **what)).inserted_primary_key
        moved(connection, row.book)
        return int(made[0]) if made else 0


def list_waiting(engine: Engine, book_id: int, schedule: int | None = None) -> list[WaitingRow]:
    """The files of a book that wait, or those of one schedule, the oldest first."""
    which = true() if schedule is None else WaitingFile.schedule_id == schedule
    with engine.connect() as connection:
        rows = connection.execute(_WAITING.where(WaitingFile.book_id == book_id, which).order_by(WaitingFile.id))
        return [WaitingRow(*row) for row in rows]


def find_waiting(engine: Engine, book_id: int, number: int) -> WaitingRow:
    """One of them. Raises `NotFound`."""
    found = [each for each in list_waiting(engine, book_id) if each.id == number]
    if not found:
        raise NotFound("That file does not wait any more.", remedy="Look into the delivery log.", field="waiting")
    return found[0]


def remove_waiting(engine: Engine, book_id: int, waiting: WaitingRow) -> None:
    """A file does not wait any more; a query goes on from its rows."""
    with engine.begin() as connection:
        connection.execute(delete(WaitingFile).where(WaitingFile.id == waiting.id))
        if waiting.since is not None and waiting.schedule is not None:
            keep_with(connection, waiting.schedule, {"since": waiting.since})
        moved(connection, book_id)


@dataclass(frozen=True)
class Trouble:
    """What of a book's round needs somebody: the files that wait, the schedules whose last run failed for good, and the
    figures that have turned."""

    waiting: tuple[WaitingRow, ...]
    failed: tuple[ScheduleRow, ...]
    turned: tuple[ScheduleRow, ...]


NO_TROUBLE = Trouble((), (), ())
"""What is said to whoever could do nothing about it."""


def trouble_of(engine: Engine, book_id: int) -> Trouble:
    """What needs somebody. A schedule that will be tried again soon, or that a person paused, is no trouble yet."""

    def has_failed(row: ScheduleRow) -> bool:
        if row.paused or row.last is None:
            return bool(row.why)
        return row.last.state is RunState.FAILED and row.due_at >= row.planned_at

    rows = list_schedules(engine, book_id)
    failed = tuple(row for row in rows if has_failed(row))
    turned = tuple(row for row in rows if not row.paused and row.kept.get("turned"))
    return Trouble(tuple(list_waiting(engine, book_id)), failed, turned)
