"""Links for somebody outside, on record."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Engine, and_, delete, func, insert, or_, select, update

from goldthread.actor import Role
from goldthread.errors import NotFound, TooLarge
from goldthread.store.people import NOW, ago, hashed
from goldthread.store.revisions import lock_book
from goldthread.store.schema.people import Member, SharedLink, User
from goldthread.store.server.faults import tried_again

LINKS_MOST = 50
"""Links of one book."""
_NOTED_AGAIN_SECONDS = 3600


@dataclass(frozen=True)
class SharedRow:
    """A link for somebody outside (UTC). ``user`` and ``made_by``: whoever made it, None and blank without accounts.
    ``passphrase``: its hash, blank without one."""

    id: int
    book: int
    user: int | None
    made_by: str
    passphrase: str
    name: str
    stop: str
    query: str
    opens_figures: bool
    shows_people: bool
    is_frozen: bool
    made_at: dt.datetime
    ends_at: dt.datetime
    opened: int
    opened_at: dt.datetime | None

    @property
    def has_passphrase(self) -> bool:
        return bool(self.passphrase)


_ROW = (
    select(
        SharedLink.id,
        SharedLink.book_id.label("book"),
        SharedLink.user_id.label("user"),
        func.coalesce(User.name, "").label("made_by"),
        SharedLink.passphrase,
        SharedLink.name,
        SharedLink.stop,
        SharedLink.query,
        SharedLink.opens_figures,
        SharedLink.shows_people,
        SharedLink.frozen.is_not(None).label("is_frozen"),
        SharedLink.made_at,
        SharedLink.ends_at,
        SharedLink.opened,
        SharedLink.opened_at,
    )
    .outerjoin(User, User.id == SharedLink.user_id)
    .outerjoin(Member, and_(Member.user_id == User.id, Member.book_id == SharedLink.book_id))
    .where(
        SharedLink.ends_at > NOW,
        or_(SharedLink.user_id.is_(None), and_(User.ended_at.is_(None), Member.role == Role.OWNER)),
    )
)
"""A link holds until its end, while whoever made it owns the book."""


def _rows(engine: Engine, *which: ColumnElement[bool]) -> list[SharedRow]:
    with engine.connect() as connection:
        found = connection.execute(_ROW.where(*which).order_by(SharedLink.id.desc()))
        return [SharedRow(**row._mapping) for row in found]


def list_links(engine: Engine, book_id: int) -> list[SharedRow]:
    """The links of a book that hold, the newest first."""
    return _rows(engine, SharedLink.book_id == book_id)


def find_link(engine: Engine, link: int, secret: str) -> SharedRow | None:
    """A link that holds, by its number and its secret."""
    found = _rows(engine, SharedLink.id == link, SharedLink.hash == hashed(secret))
    return found[0] if found else None


def frozen_answer(engine: Engine, link: int) -> str:
    """The answer of a link as it was, as JSON."""
    with engine.connect() as connection:
        return connection.execute(select(SharedLink.frozen).where(SharedLink.id == link)).scalar_one() or ""


def add_link(engine: Engine, book_id: int, secret: str, **values: object) -> int:
    """Put down a link; those that have ended go. Its number. Raises `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            of_book = SharedLink.book_id == book_id
            connection.execute(delete(SharedLink).where(of_book, SharedLink.ends_at <= NOW))
            count = connection.execute(select(func.count()).select_from(SharedLink).where(of_book)).scalar_one()
            if count >= LINKS_MOST:
                raise TooLarge(
                    f"This book has {LINKS_MOST} links for people outside.", remedy="End one that is not used any more."
                )
            given = {"book_id": book_id, "hash": hashed(secret), "made_at": NOW, "opened": 0}
            made = connection.execute(insert(SharedLink).values(**given, **values)).inserted_primary_key
            return int(made[0]) if made else 0

    return tried_again(once)


def end_link(engine: Engine, book_id: int, link: int) -> str:
    """End a link; what it was called. Raises `NotFound`."""
    which = (SharedLink.id == link, SharedLink.book_id == book_id)
    with engine.begin() as connection:
        name = connection.execute(select(SharedLink.name).where(*which).with_for_update()).scalar()
        if name is None:
            raise NotFound("This link has ended already.", remedy="Look at the list of links again.", field="link")
        connection.execute(delete(SharedLink).where(*which))
    return name


def note_opened(engine: Engine, link: int) -> bool:
    """Count that a link was opened. Whether it was not within the last hour, so that it is worth a line in the log."""
    lately = SharedLink.opened_at > ago(_NOTED_AGAIN_SECONDS)
    with engine.begin() as connection:
        was_lately = connection.execute(select(lately).where(SharedLink.id == link).with_for_update()).scalar()
        counted = {"opened": SharedLink.opened + 1, "opened_at": NOW}
        connection.execute(update(SharedLink).where(SharedLink.id == link).values(**counted))
    return not was_lately
