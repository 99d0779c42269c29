"""The usual settings of a book, on record, with who said them when."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Engine, func, insert, select, update

from goldthread.errors import TooLarge
from goldthread.store.revisions import lock_book
from goldthread.store.schedules import moved
from goldthread.store.schema.models import Book
from goldthread.store.schema.written import UsualChange
from goldthread.store.server.engine import moment
from goldthread.store.server.faults import tried_again

CHANGES_MOST = 1_000
"""Changes of the usual settings of one book."""
SHOWN_MOST = 50


@dataclass(frozen=True)
class UsualChangeRow:
    """The usual settings of a book from a moment on (UTC), all of them."""

    said: dict[str, Any]
    made_by: str
    made_at: dt.datetime


def say_usual(engine: Engine, book_id: int, said: Mapping[str, Any]) -> None:
    """Have a book's usual settings be these. Raises `TooLarge`."""
    tried_again(lambda: _say(engine, book_id, said))


def _say(engine: Engine, book_id: int, said: Mapping[str, Any]) -> None:
    with engine.begin() as connection:
        lock_book(connection, book_id)
        mine = UsualChange.book_id == book_id
        if connection.execute(select(func.count()).select_from(UsualChange).where(mine)).scalar_one() >= CHANGES_MOST:
            raise TooLarge(
                f"The usual settings were changed {CHANGES_MOST} times, which is as often as they can be.",
                remedy="Say it in the question, or in a saved view.",
            )
        connection.execute(insert(UsualChange).values(book_id=book_id, said=dict(said), made_at=moment()))
        connection.execute(update(Book).where(Book.id == book_id).values(usual=json.dumps(said) if said else ""))
        moved(connection, book_id)


def usual_changes(engine: Engine, book_id: int) -> list[UsualChangeRow]:
    """The latest changes of a book's usual settings, the newest first."""
    chosen = select(UsualChange.said, UsualChange.made_by, UsualChange.made_at).where(UsualChange.book_id == book_id)
    with engine.connect() as connection:
        rows = connection.execute(chosen.order_by(UsualChange.id.desc()).limit(SHOWN_MOST)).all()
    return [UsualChangeRow(*row) for row in rows]
