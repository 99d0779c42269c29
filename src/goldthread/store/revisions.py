"""Revisions of a book, each with a stamp of its own that was drawn at random.

A revision number comes back when a database is restored from a copy; its stamp never does. Whatever is made of a book
and kept elsewhere (snapshots, books in memory, answers with a client) is known by the stamp.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine, and_, bindparam, insert, select, text, update

from goldthread.errors import Busy, NotFound, Outdated
from goldthread.store.schema.models import Book, Revision

T = TypeVar("T")
FOLLOWED_MOST = 200
"""So many revisions back it is known whom each touched."""


@dataclass(frozen=True)
class Stamped:
    """A revision of a book: its number, which grows with every change, and its stamp."""

    number: int
    stamp: str


_PRESENT = (
    select(Book.revision, Revision.stamp)
    .join(Revision, and_(Revision.book_id == Book.id, Revision.number == Book.revision))
    .where(Book.id == bindparam("book"))
)


def present_revision(engine: Engine, book_id: int) -> Stamped:
    """The revision that a book is at. Raises `NotFound`."""
    with engine.connect() as connection:
        found = connection.execute(_PRESENT, {"book": book_id}).first()
    if found is None:
        raise NotFound("There is no such book.", remedy="Choose one of the books on record.", field="book")
    return Stamped(*found)


def read_at(engine: Engine, book_id: int, at: Stamped, read: Callable[[], T]) -> T:
    """What is read of the record for a book at a revision. Raises `Outdated` when the book moved on meanwhile, so that
    what was read may be of a later one."""
    found = read()
    must_be_at(engine, book_id, at)
    return found


def must_be_at(engine: Engine, book_id: int, at: Stamped) -> None:
    """Raises `Outdated` when a book is at another revision."""
    if present_revision(engine, book_id) != at:
        raise Outdated("The book changed while it was read.", remedy="Ask again.")


def stamp_of(connection: Connection, book_id: int, number: int) -> str | None:
    """The stamp that a book had at a revision; None where it never was at it."""
    stamp = select(Revision.stamp).where(Revision.book_id == book_id, Revision.number == number)
    return connection.execute(stamp).scalar()


_PATIENT_SECONDS, _BY_HAND_SECONDS = 50, 5
"""How long a change of a book waits for another one each time: that of a whole file, and one that somebody looks at."""


def keep_others_out(connection: Connection, book_id: int, *, by_hand: bool = False) -> None:
    """Let nobody else change the orders and customers of a book until this connection ends. Raises `Busy`."""
    seconds = _BY_HAND_SECONDS if by_hand else _PATIENT_SECONDS
    lock = text("SELECT GET_LOCK(CONCAT(DATABASE(), '.book.', :book), :seconds)")
    if not connection.execute(lock, {"book": book_id, "seconds": seconds}).scalar():
        raise Busy("Somebody else is changing this book.", remedy="Nothing was changed. Try again.")


def lock_book(connection: Connection, book_id: int) -> None:
    """One at a time: who counts, or looks for a free name, beside somebody else finds the same."""
    connection.execute(select(Book.id).where(Book.id == book_id).with_for_update())


def step_to(connection: Connection, book_id: int, number: int, touched: bytes | None = None) -> None:
    """Bring a book to a revision, in a transaction of the caller's. ``touched``: `Revision.touched`."""
    connection.execute(update(Book).where(Book.id == book_id).values(revision=number))
    connection.execute(
        insert(Revision).values(book_id=book_id, number=number, stamp=secrets.token_hex(16), touched=touched)
    )
    left_behind = (Revision.book_id == book_id, Revision.number == number - FOLLOWED_MOST)
    connection.execute(update(Revision).where(*left_behind).values(touched=None))


def touched_since(connection: Connection, book_id: int, since: Stamped, until: Stamped) -> NDArray[np.int64] | None:
    """The ids of the customers whom any change between two revisions touched, ascending; None where that is not known,
    or the record was never at the first of them, because a copy was put back since."""
    if stamp_of(connection, book_id, since.number) != since.stamp:
        return None
    between = (Revision.book_id == book_id, Revision.number > since.number, Revision.number <= until.number)
    found = connection.execute(select(Revision.touched).where(*between).limit(FOLLOWED_MOST + 1)).scalars().all()
    known = [np.frombuffer(each, "<i8") for each in found if each is not None]
    if len(known) != until.number - since.number:
        return None
    return np.unique(np.concatenate([np.zeros(0, np.int64), *known]))
