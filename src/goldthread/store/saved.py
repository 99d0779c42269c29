"""Saved questions, on record: every version of each."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import Engine, delete, func, insert, select

from goldthread.errors import NotFound
from goldthread.store.models import SavedQuestion
from goldthread.store.orders_in import now

NAME_LENGTH, QUERY_LENGTH, WORDS_LENGTH = 120, 16_000, 1000


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


def add_version(engine: Engine, book_id: int, name: str, stop: str, query: str, words: str) -> SavedRow:
    """Save a question under a name, as its next version."""
    with engine.begin() as connection:
        newest = connection.execute(
            select(func.max(SavedQuestion.version))
            .where(SavedQuestion.book_id == book_id, SavedQuestion.name == name)
            .with_for_update()
        ).scalar_one()
        values = {
            "book_id": book_id,
            "name": name,
            "version": (newest or 0) + 1,
            "stop": stop,
            "query": query,
            "words": words[:WORDS_LENGTH],
            "saved_at": now(),
        }
        made = connection.execute(insert(SavedQuestion).values(values)).inserted_primary_key
    return find_saved(engine, book_id, int(made[0]) if made else 0)


def forget_saved(engine: Engine, book_id: int, saved_id: int) -> None:
    """Forget a question with all its versions. Raises `NotFound`."""
    row = find_saved(engine, book_id, saved_id)
    with engine.begin() as connection:
        connection.execute(
            delete(SavedQuestion).where(SavedQuestion.book_id == book_id, SavedQuestion.name == row.name)
        )
