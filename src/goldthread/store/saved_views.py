"""Saved questions, on record: every version of each."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Engine, collate, delete, func, insert, select

from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.faults import tried_again
from goldthread.store.models import Book, SavedQuestion
from goldthread.store.orders_in import now

NAME_LENGTH, QUERY_LENGTH, WORDS_LENGTH = 120, 16_000, 1000
VERSIONS_MOST = 5_000
"""Versions of saved questions in one book, all names together."""
AS_PEOPLE_READ = "utf8mb4_unicode_ci"


@dataclass(frozen=True)
class SavedRow:
    """One version of a saved question; ``query`` is that of its address. Moments are UTC."""

    id: int
    name: str
    version: int
    stop: str
    query: str
    words: str
    saved_at: dt.datetime


_ROW = select(
    SavedQuestion.id,
    SavedQuestion.name,
    SavedQuestion.version,
    SavedQuestion.stop,
    SavedQuestion.query,
    SavedQuestion.words,
    SavedQuestion.saved_at,
)


def list_saved(engine: Engine, book_id: int) -> list[SavedRow]:
    """Every version of every saved question of a book, by name, newest version first."""
    with engine.connect() as connection:
        rows = connection.execute(
            _ROW.where(SavedQuestion.book_id == book_id).order_by(SavedQuestion.name, SavedQuestion.version.desc())
        ).all()
    return [SavedRow(*row) for row in rows]


def find_saved(engine: Engine, book_id: int, saved_id: int) -> SavedRow:
    """One version. Raises `NotFound`."""
    with engine.connect() as connection:
        row = connection.execute(_ROW.where(SavedQuestion.book_id == book_id, SavedQuestion.id == saved_id)).first()
    if row is None:
        raise NotFound("That question is not saved any more.", remedy="Save it again.")
    return SavedRow(*row)


def add_version(
    engine: Engine, book_id: int, name: str, stop: str, query: str, words: str, seen: int | None = None
) -> SavedRow:
    """Save a question under a name, as its next version.

    Names that people take for one are one: the spelling that was there first stays. ``seen`` is the version that
    whoever saves has seen last, 0 for none, None where that does not matter. Raises `Conflict` when another one was
    saved since, and `TooLarge` when there is no room for more.
    """
    values = {"stop": stop, "query": query, "words": words[:WORDS_LENGTH]}
    made = tried_again(lambda: _add_version(engine, book_id, name, values, seen))
    return find_saved(engine, book_id, made)


def _add_version(engine: Engine, book_id: int, name: str, values: dict[str, str], seen: int | None) -> int:
    mine = SavedQuestion.book_id == book_id
    with engine.begin() as connection:
        # one at a time: who counts versions beside somebody else counts wrong
        connection.execute(select(Book.id).where(Book.id == book_id).with_for_update())
        if connection.execute(select(func.count()).where(mine)).scalar_one() >= VERSIONS_MOST:
            raise TooLarge(f"{VERSIONS_MOST} versions are saved already.", remedy="Forget some of them.", field="name")
        newest = connection.execute(
            select(SavedQuestion.name, SavedQuestion.version, SavedQuestion.words)
            .where(mine, collate(SavedQuestion.name, AS_PEOPLE_READ) == name)
            .order_by(SavedQuestion.version.desc())
        ).first()
        spelt, version = (newest.name, newest.version) if newest is not None else (name, 0)
        if seen is not None and seen != version:
            told = f"“{spelt}” was saved meanwhile as version {version}: {newest.words}" if newest is not None else ""
            raise Conflict(
                told or f"“{name}” was forgotten meanwhile.",
                remedy="Look at it, then save again or choose another name.",
                field="name",
            )
        made: Any = connection.execute(
            insert(SavedQuestion).values(**values, book_id=book_id, name=spelt, version=version + 1, saved_at=now())
        ).inserted_primary_key
    return int(made[0])


def forget_saved(engine: Engine, book_id: int, saved_id: int, seen: int | None = None) -> None:
    """Forget a question with all its versions. Raises `NotFound`, and `Conflict` when a version after the one that was
    ``seen`` was saved."""
    row = find_saved(engine, book_id, saved_id)
    newest = select(func.max(SavedQuestion.version)).where(
        SavedQuestion.book_id == book_id, SavedQuestion.name == row.name
    )
    with engine.begin() as connection:
        version = connection.execute(newest.with_for_update()).scalar()
        if seen is not None and version != seen:
            raise Conflict(
                f"“{row.name}” was saved meanwhile as version {version}.", remedy="Look at it before you forget it."
            )
        connection.execute(
            delete(SavedQuestion).where(SavedQuestion.book_id == book_id, SavedQuestion.name == row.name)
        )
