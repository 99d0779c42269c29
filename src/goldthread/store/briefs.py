"""Briefs, on record: findings one below the other, with the words of whoever wrote them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, and_, delete, func, insert, or_, select, update
from sqlalchemy.exc import IntegrityError

from goldthread.actor import Right, actor
from goldthread.errors import Conflict, NotAllowed, NotFound, TooLarge
from goldthread.store.revisions import lock_book
from goldthread.store.schedules import moved
from goldthread.store.schema.written import Brief, Finding
from goldthread.store.server.engine import moment
from goldthread.store.server.faults import tried_again

BRIEFS_MOST, FINDINGS_MOST = 200, 30
"""Briefs of one book, and findings of one brief."""


@dataclass(frozen=True)
class BriefRow:
    """A brief (UTC), and how many findings it has."""

    id: int
    name: str
    made_by: str
    shared: bool
    version: int
    made_at: dt.datetime
    findings: int


@dataclass(frozen=True)
class FindingRow:
    """A finding (UTC). ``pinned``: the ``stop`` and ``query`` of a view, and the ``figure`` of it, blank for the view
    as a whole; None for words alone. ``kept``: what it said when it was pinned."""

    id: int
    heading: str
    words: str
    pinned: dict[str, str] | None
    live: bool
    kept: dict[str, Any] | None
    version: int
    made_by: str
    made_at: dt.datetime
    edited_by: str
    edited_at: dt.datetime | None


_BRIEF = (
    select(
        Brief.id,
        Brief.name,
        Brief.made_by,
        Brief.shared,
        Brief.version,
        Brief.made_at,
        func.count(Finding.id).label("findings"),
    )
    .outerjoin(Finding, Finding.brief_id == Brief.id)
    .group_by(Brief.id)
)
_FINDING = select(
    Finding.id,
    Finding.heading,
    Finding.words,
    Finding.pinned,
    Finding.live,
    Finding.kept,
    Finding.version,
    Finding.made_by,
    Finding.made_at,
    Finding.edited_by,
    Finding.edited_at,
)


def _seen(book_id: int) -> ColumnElement[bool]:
    """Which briefs of a book whoever acts sees: those that are shared, and their own. Words may name customers, so that
    who may not see who they are sees what they wrote themselves."""
    who = actor()
    if who.sees_everything:
        return Brief.book_id == book_id
    own = Brief.made_by == who.name
    return and_(Brief.book_id == book_id, or_(own, Brief.shared) if who.sees_people else own)


def list_briefs(engine: Engine, book_id: int) -> list[BriefRow]:
    """The briefs of a book that whoever acts sees, by name."""
    with engine.connect() as connection:
        return [BriefRow(*row) for row in connection.execute(_BRIEF.where(_seen(book_id)).order_by(Brief.name))]


def find_brief(engine: Engine, book_id: int, brief: int | str) -> BriefRow:
    """One of them, by number or name. Raises `NotFound`."""
    wanted = Brief.id == brief if isinstance(brief, int) else Brief.name == brief.strip()
    with engine.connect() as connection:
        found = connection.execute(_BRIEF.where(_seen(book_id), wanted)).first()
    if found is None:
        called = "" if isinstance(brief, int) else f" called {brief}"
        raise NotFound(f"There is no such brief{called}.", remedy="Look at the briefs of the book.", field="brief")
    return BriefRow(*found)


def list_findings(engine: Engine, brief: int) -> list[FindingRow]:
    """The findings of a brief, in their order."""
    with engine.connect() as connection:
        rows = connection.execute(_FINDING.where(Finding.brief_id == brief).order_by(Finding.place, Finding.id))
        return [FindingRow(*row) for row in rows]


def must_edit(row: BriefRow) -> None:
    """Whoever may change the book edits what is shared in it; others what is their own. Raises `NotAllowed`."""
    who = actor()
    if not (who.sees_everything or row.made_by == who.name or (row.shared and who.may(Right.CHANGE))):
        raise NotAllowed("This brief is not yours to edit.", remedy=f"Ask {row.made_by or 'an owner of the book'}.")


def add_brief(engine: Engine, book_id: int, name: str) -> int:
    """Begin a brief; its number. Raises `Conflict` for a name that is taken, and `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            count = select(func.count()).select_from(Brief).where(Brief.book_id == book_id)
            if connection.execute(count).scalar_one() >= BRIEFS_MOST:
                raise TooLarge(f"This book has {BRIEFS_MOST} briefs.", remedy="Remove one that is not needed any more.")
            who = actor()
            shared = who.user is None or who.may(Right.CHANGE)
            values = {"book_id": book_id, "name": name, "shared": shared, "made_at": moment()}
            try:
                made = connection.execute(insert(Brief).values(**values)).inserted_primary_key
            except IntegrityError:
                raise _taken(name) from None
            moved(connection, book_id)
            return int(made[0]) if made else 0

    return tried_again(once)


def change_brief(
    engine: Engine, book_id: int, row: BriefRow, name: str, order: Sequence[int], seen: int | None
) -> None:
    """Rename a brief, and put its findings in an order; findings that are not named stay behind the others. Raises
    `Conflict` for a name that is taken, and when somebody changed it since the version that was ``seen``."""
    version = row.version if seen is None else seen
    with engine.begin() as connection:
        values = {"name": name, "version": version + 1}
        try:
            done = connection.execute(update(Brief).where(Brief.id == row.id, Brief.version == version).values(values))
        except IntegrityError:
            raise _taken(name) from None
        if not done.rowcount:
            raise Conflict(
                "Somebody changed this brief meanwhile.", remedy="Look at it as it is now, then do it again."
            )
        known = connection.execute(
            select(Finding.id).where(Finding.brief_id == row.id).order_by(Finding.place, Finding.id)
        ).scalars()
        wanted = {number: place for place, number in enumerate(order)}
        for place, number in enumerate(sorted(known.all(), key=lambda each: wanted.get(each, len(wanted)))):
            connection.execute(update(Finding).where(Finding.id == number).values(place=place))
        moved(connection, book_id)


def remove_brief(engine: Engine, book_id: int, brief: int) -> None:
    """Remove a brief with its findings."""
    with engine.begin() as connection:
        connection.execute(delete(Brief).where(Brief.id == brief))
        moved(connection, book_id)


def add_finding(engine: Engine, book_id: int, brief: int, values: Mapping[str, Any]) -> int:
    """Put a finding at the end of a brief; its number. Raises `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            own = Finding.brief_id == brief
            count, last = connection.execute(select(func.count(), func.max(Finding.place)).where(own)).one()
            if count >= FINDINGS_MOST:
                raise TooLarge(f"This brief has {FINDINGS_MOST} findings.", remedy="Begin another brief.")
            place = 0 if last is None else int(last) + 1
            made = connection.execute(
                insert(Finding).values(**values, brief_id=brief, place=place, made_at=moment())
            ).inserted_primary_key
            moved(connection, book_id)
            return int(made[0]) if made else 0

    return tried_again(once)


def find_finding(engine: Engine, brief: int, finding: int) -> FindingRow:
    """One finding. Raises `NotFound`."""
    with engine.connect() as connection:
        return _find(connection, brief, finding)


def _find(connection: Connection, brief: int, finding: int) -> FindingRow:
    row = connection.execute(_FINDING.where(Finding.brief_id == brief, Finding.id == finding)).first()
    if row is None:
        raise NotFound("This finding was removed meanwhile.", remedy="Look at the brief as it is now.", field="finding")
    return FindingRow(*row)


def edit_finding(
    engine: Engine, book_id: int, brief: int, finding: int, values: Mapping[str, Any], seen: int | None
) -> None:
    """Write a finding anew. Raises `NotFound`, and `Conflict`, which says what it is now, when somebody wrote a version
    after the one that was ``seen``."""
    with engine.begin() as connection:
        row = _find(connection, brief, finding)
        version = row.version if seen is None else seen
        edited = {"version": version + 1, "edited_by": actor().name, "edited_at": moment()}
        own = (Finding.id == finding, Finding.version == version)
        if not connection.execute(update(Finding).where(*own).values(**values, **edited)).rowcount:
            by = row.edited_by or "Somebody"
            raise Conflict(
                f"{by} wrote this meanwhile: {row.heading}\n{row.words}",
                remedy="Put the two together, and save again: what you wrote is still here.",
                field="words",
            )
        moved(connection, book_id)


def remove_finding(engine: Engine, book_id: int, brief: int, finding: int) -> None:
    """Remove a finding. Raises `NotFound`."""
    with engine.begin() as connection:
        _find(connection, brief, finding)
        connection.execute(delete(Finding).where(Finding.id == finding))
        moved(connection, book_id)


def _taken(name: str) -> Conflict:
    return Conflict(f"There is a brief called {name} already.", remedy="Choose another name.", field="name")
