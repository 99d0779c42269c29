"""Revisions of a book, each with a stamp of its own that was drawn at random.

A revision number comes back when a database is restored from a copy; its stamp never does. Whatever is made of a book
and kept elsewhere (snapshots, books in memory, answers with a client) is known by the stamp.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from sqlalchemy import Connection, Engine, and_, bindparam, insert, select, update

from goldthread.errors import NotFound, Outdated
from goldthread.store.schema.models import Book, Revision

T = TypeVar("T")


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
    if present_revision(engine, book_id) != at:
        raise Outdated("The book changed while it was read.", remedy="Ask again.")
    return found


def stamp_of(connection: Connection, book_id: int, number: int) -> str | None:
    """The stamp that a book had at a revision; None where it never was at it."""
    stamp = select(Revision.stamp).where(Revision.book_id == book_id, Revision.number == number)
    return connection.execute(stamp).scalar()


def lock_book(connection: Connection, book_id: int) -> None:
    """One at a time: who counts, or looks for a free name, beside somebody else finds the same."""
    connection.execute(select(Book.id).where(Book.id == book_id).with_for_update())


def step_to(connection: Connection, book_id: int, number: int) -> None:
    """Bring a book to a revision, in a transaction of the caller's."""
    connection.execute(update(Book).where(Book.id == book_id).values(revision=number))
    connection.execute(insert(Revision).values(book_id=book_id, number=number, stamp=secrets.token_hex(16)))
