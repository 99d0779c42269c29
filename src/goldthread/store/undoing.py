"""What is deleted goes out of sight at once and stays on record a while, so that it can be brought back.

It belongs to no book meanwhile: nobody who asks for what a book has can meet it.
"""

from __future__ import annotations

import datetime as dt

from sqlalchemy import ColumnElement, Connection, collate, delete, func, select, update

from goldthread.actor import actor
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.revisions import lock_book
from goldthread.store.schema.models import AS_PEOPLE_READ, CustomerList, ListChange, ListMail, SavedView
from goldthread.store.schema.people import ListPart
from goldthread.store.server.engine import moment

KEPT_SECONDS = 60
"""How long at least; the page offers it for ten seconds, and for as long as somebody is at it."""

Deletable = type[SavedView] | type[CustomerList]


def set_aside(connection: Connection, kind: Deletable, book_id: int, which: ColumnElement[bool]) -> None:
    """Delete some records of a book, all at once. What was deleted long ago goes for good."""
    remove_for_good(connection)
    values = {"book_id": None, "deleted_from": book_id, "deleted_at": moment()}
    connection.execute(update(kind).where(kind.book_id == book_id, which).values(values))


def bring_back(connection: Connection, kind: Deletable, book_id: int, number: int, most: int) -> None:
    """Undo the deletion of a record, and of those that were deleted with it.

    ``most`` are the records of the kind that a book may have. Raises `NotFound` when it is gone for good, `Conflict`
    when its name was taken meanwhile, `NotAllowed` for somebody else's, `TooLarge` when there is no room for it.
    """
    lock_book(connection, book_id)
    mine = kind.deleted_from == book_id
    found = connection.execute(select(kind.name, kind.deleted_at, kind.made_by).where(mine, kind.id == number)).first()
    if found is None:
        raise NotFound("That was deleted for good meanwhile.", remedy="Make it anew.")
    actor().must_have_made(found.made_by, "one")
    there = kind.book_id == book_id
    if connection.execute(select(kind.id).where(there, collate(kind.name, AS_PEOPLE_READ) == found.name)).first():
        raise Conflict(f"Something else is called {found.name} by now.", remedy="Rename that or delete it, then undo.")
    together = (mine, kind.name == found.name, kind.deleted_at == found.deleted_at)
    counts = [connection.execute(select(func.count()).where(*each)).scalar_one() for each in ((there,), together)]
    if sum(counts) > most:
        raise TooLarge(f"A book has up to {most} of these.", remedy="Delete some of them, then undo.")
    connection.execute(update(kind).where(*together).values(book_id=book_id, deleted_from=None, deleted_at=None))


def remove_for_good(connection: Connection) -> None:
    """Remove what was deleted longer ago than anybody may undo."""
    before = moment() - dt.timedelta(seconds=KEPT_SECONDS)
    lists = select(CustomerList.id).where(CustomerList.deleted_at < before)
    for part in (ListMail, ListChange, ListPart):
        connection.execute(delete(part).where(part.list_id.in_(lists)))
    for kind in (CustomerList, SavedView):
        connection.execute(delete(kind).where(kind.deleted_at < before))
