"""Who did what, on record: entries are added and, when they are old, removed; never changed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Engine, Select, delete, func, insert, select

from goldthread.actor import Actor
from goldthread.store.schema.people import PLACE_LENGTH, SUBJECT_LENGTH, LogEntry
from goldthread.store.server.engine import moment, now

_AT_ONCE = 1_000


@dataclass(frozen=True)
class LogRow:
    """One thing that somebody did (UTC)."""

    id: int
    at: dt.datetime
    who: str
    came_from: str
    deed: str
    book_id: int | None
    subject: str
    details: dict[str, Any]


@dataclass(frozen=True)
class LogChoice:
    """Which entries: of a book (None: those of no book), by whom, of which kind, of which days (both inside, UTC)."""

    book_id: int | None
    who: str = ""
    deed: str = ""
    since: dt.date | None = None
    until: dt.date | None = None


def add_entry(
    engine: Engine, who: Actor, deed: str, book_id: int | None, subject: str, details: Mapping[str, Any]
) -> None:
    """Put down what somebody did."""
    by = {"at": moment(), "who": who.name, "came_from": who.came_from[:PLACE_LENGTH]}
    what = {"deed": deed, "book_id": book_id, "subject": subject[:SUBJECT_LENGTH], "details": dict(details)}
    with engine.begin() as connection:
        connection.execute(insert(LogEntry).values(**by, **what))


_ROW = select(
    LogEntry.id,
    LogEntry.at,
    LogEntry.who,
    LogEntry.came_from,
    LogEntry.deed,
    LogEntry.book_id,
    LogEntry.subject,
    LogEntry.details,
)


def _chosen(statement: Select[Any], choice: LogChoice) -> Select[Any]:
    which = [LogEntry.book_id.is_(None) if choice.book_id is None else LogEntry.book_id == choice.book_id]
    which += [LogEntry.who == choice.who] if choice.who else []
    which += [LogEntry.deed == choice.deed] if choice.deed else []
    which += [LogEntry.at >= choice.since] if choice.since else []
    which += [LogEntry.at < choice.until + dt.timedelta(days=1)] if choice.until else []
    return statement.where(*which)


def entry_count(engine: Engine, choice: LogChoice) -> int:
    """How many entries there are."""
    with engine.connect() as connection:
        counted = _chosen(select(func.count()).select_from(LogEntry), choice)
        return int(connection.execute(counted).scalar_one())


def list_entries(engine: Engine, choice: LogChoice, offset: int, limit: int) -> list[LogRow]:
    """Some entries, the newest first."""
    with engine.connect() as connection:
        rows = connection.execute(_chosen(_ROW, choice).order_by(LogEntry.id.desc()).offset(offset).limit(limit))
        return [LogRow(*row) for row in rows]


def every_entry(engine: Engine, choice: LogChoice) -> Iterator[LogRow]:
    """Every entry, the newest first, a thousand at a time."""
    before: int | None = None
    while True:
        which = _chosen(_ROW, choice).order_by(LogEntry.id.desc()).limit(_AT_ONCE)
        with engine.connect() as connection:
            rows = connection.execute(which if before is None else which.where(LogEntry.id < before)).all()
        yield from (LogRow(*row) for row in rows)
        if len(rows) < _AT_ONCE:
            return
        before = rows[-1].id


def people_named(engine: Engine, book_id: int | None) -> list[str]:
    """Who did anything, by name."""
    with engine.connect() as connection:
        mine = LogEntry.book_id.is_(None) if book_id is None else LogEntry.book_id == book_id
        return list(connection.execute(select(LogEntry.who).where(mine).distinct().order_by(LogEntry.who)).scalars())


def forget_older(engine: Engine, days: int) -> None:
    """Remove entries that are older than they are to be kept."""
    with engine.begin() as connection:
        connection.execute(delete(LogEntry).where(LogEntry.at < now() - dt.timedelta(days=days)))
