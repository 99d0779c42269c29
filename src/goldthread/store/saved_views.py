"""Saved views, on record: every version of each."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl, urlencode

from sqlalchemy import ColumnElement, Connection, Engine, bindparam, collate, func, insert, or_, select, true, update

from goldthread.actor import actor
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.revisions import lock_book
from goldthread.store.schema.models import AS_PEOPLE_READ, SavedView
from goldthread.store.server.engine import now
from goldthread.store.server.faults import tried_again
from goldthread.store.undoing import bring_back, set_aside

NAME_LENGTH, QUERY_LENGTH, WORDS_LENGTH = 120, 16_000, 1000
VERSIONS_MOST = 5_000
"""Versions of saved views in one book, all names together."""
NAMING_A_LIST = ("list", "since_list")
"""Choices of a view whose value is the name of a list."""


@dataclass(frozen=True)
class SavedRow:
    """One version of a saved view; ``query`` is that of its address. Moments are UTC."""

    id: int
    name: str
    version: int
    stop: str
    query: str
    words: str
    saved_at: dt.datetime
    made_by: str
    shared: bool


_ROW = select(
    SavedView.id,
    SavedView.name,
    SavedView.version,
    SavedView.stop,
    SavedView.query,
    SavedView.words,
    SavedView.saved_at,
    SavedView.made_by,
    SavedView.shared,
)


def _visible() -> ColumnElement[bool]:
    """Which views whoever acts sees: those that are shared, and their own."""
    who = actor()
    return true() if who.sees_everything else or_(SavedView.shared, SavedView.made_by == who.name)


def list_saved(engine: Engine, book_id: int) -> list[SavedRow]:
    """Every version of every saved view of a book that whoever acts sees, by name, newest version first."""
    with engine.connect() as connection:
        rows = connection.execute(
            _ROW.where(SavedView.book_id == book_id, _visible()).order_by(SavedView.name, SavedView.version.desc())
        ).all()
    return [SavedRow(*row) for row in rows]


def find_saved(engine: Engine, book_id: int, saved_id: int) -> SavedRow:
    """One version. Raises `NotFound`."""
    with engine.connect() as connection:
        row = connection.execute(_ROW.where(SavedView.book_id == book_id, SavedView.id == saved_id, _visible())).first()
    if row is None:
        raise NotFound("That view is not saved any more.", remedy="Save it again.")
    return SavedRow(*row)


def add_version(
    engine: Engine, book_id: int, name: str, stop: str, query: str, words: str, seen: int | None = None
) -> SavedRow:
    """Save a view under a name, as its next version.

    Names that people take for one are one: the spelling that was there first stays. ``seen`` is the version that
    whoever saves has seen last, 0 for none, None where that does not matter. Raises `Conflict` when another one was
    saved since, and `TooLarge` when there is no room for more.
    """
    values = {"stop": stop, "query": query, "words": words[:WORDS_LENGTH]}
    made = tried_again(lambda: _add_version(engine, book_id, name, values, seen))
    return find_saved(engine, book_id, made)


def _add_version(engine: Engine, book_id: int, name: str, values: dict[str, Any], seen: int | None) -> int:
    mine = SavedView.book_id == book_id
    with engine.begin() as connection:
        lock_book(connection, book_id)
        if connection.execute(select(func.count()).where(mine)).scalar_one() >= VERSIONS_MOST:
            raise TooLarge(f"{VERSIONS_MOST} versions are saved already.", remedy="Delete some of them.", field="name")
        newest = connection.execute(
            select(SavedView.name, SavedView.version, SavedView.words, SavedView.made_by, SavedView.shared)
            .where(mine, collate(SavedView.name, AS_PEOPLE_READ) == name)
            .order_by(SavedView.version.desc())
        ).first()
        spelt, version = (newest.name, newest.version) if newest is not None else (name, 0)
        if newest is not None:
            actor().must_have_made(newest.made_by, "view")
            values |= {"made_by": newest.made_by, "shared": newest.shared}
        if seen is not None and seen != version:
            detail = f"“{spelt}” was saved meanwhile as version {version}: {newest.words}" if newest is not None else ""
            raise Conflict(
                detail or f"“{name}” was deleted meanwhile.",
                remedy="Look at it, then save again or choose another name.",
                field="name",
            )
        made: Any = connection.execute(
            insert(SavedView).values(**values, book_id=book_id, name=spelt, version=version + 1, saved_at=now())
        ).inserted_primary_key
    return int(made[0])


def delete_saved(engine: Engine, book_id: int, saved_id: int, seen: int | None = None) -> None:
    """Delete a view with all its versions. Raises `NotFound`, and `Conflict` when a version after the one that was
    ``seen`` was saved."""
    row = find_saved(engine, book_id, saved_id)
    actor().must_have_made(row.made_by, "view")
    newest = select(func.max(SavedView.version)).where(SavedView.book_id == book_id, SavedView.name == row.name)
    with engine.begin() as connection:
        version = connection.execute(newest.with_for_update()).scalar()
        if seen is not None and version != seen:
            raise Conflict(
                f"“{row.name}” was saved meanwhile as version {version}.", remedy="Look at it before you delete it."
            )
        set_aside(connection, SavedView, book_id, SavedView.name == row.name)


def share_saved(engine: Engine, book_id: int, saved_id: int, *, shared: bool) -> SavedRow:
    """Have everybody in the book see a view, or its author alone; gives it. Raises `NotFound` and `NotAllowed`."""
    row = find_saved(engine, book_id, saved_id)
    actor().must_have_made(row.made_by, "view")
    with engine.begin() as connection:
        mine = (SavedView.book_id == book_id, SavedView.name == row.name)
        connection.execute(update(SavedView).where(*mine).values(shared=shared))
    return row


def undelete_saved(engine: Engine, book_id: int, saved_id: int) -> None:
    """Bring back a view that was deleted, with all its versions. Raises as `bring_back`."""
    with engine.begin() as connection:
        bring_back(connection, SavedView, book_id, saved_id, VERSIONS_MOST)


def renamed_list(connection: Connection, book_id: int, old: str, new: str) -> None:
    """Have the views of a book, deleted ones too, name a list as it is called now."""
    mine = or_(SavedView.book_id == book_id, SavedView.deleted_from == book_id)
    found = connection.execute(select(SavedView.id, SavedView.query).where(mine)).all()
    changed = []
    for number, query in found:
        pairs = parse_qsl(query, keep_blank_values=True)
        named = [(name, new if name in NAMING_A_LIST and value == old else value) for name, value in pairs]
        if named != pairs:
            changed.append({"number": number, "named": urlencode(named)})
    if changed:
        connection.execute(
            update(SavedView).where(SavedView.id == bindparam("number")).values(query=bindparam("named")), changed
        )
