"""Notes, on record: what people wrote about a customer, a delivery, a list, a cohort, a cell of it, or a period."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, and_, delete, func, insert, or_, select, update

from goldthread.actor import Right, actor
from goldthread.core.choices import NoteOn
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.lists import visible as visible_lists
from goldthread.store.revisions import lock_book
from goldthread.store.schedules import moved
from goldthread.store.schema.models import CustomerKey, CustomerList, Delivery
from goldthread.store.schema.written import Note
from goldthread.store.server.engine import moment
from goldthread.store.server.faults import tried_again

NOTES_MOST = 5_000
"""Notes of one book."""


@dataclass(frozen=True)
class Thing:
    """What a note is about. ``number`` is that of a customer, a delivery or a list, ``label`` that of a cohort or a
    period, ``age`` a cell's."""

    about: NoteOn
    number: int | None = None
    label: str = ""
    age: int | None = None

    @property
    def key(self) -> str:
        """What distinguishes it from others of its kind: 12, 2026-03, or 2026-03/1."""
        if self.number is not None:
            return str(self.number)
        return self.label if self.age is None else f"{self.label}/{self.age}"


@dataclass(frozen=True)
class NoteRow:
    """A note (UTC). ``called`` is the name of the delivery or the list that it is about, blank for others."""

    id: int
    thing: Thing
    text: str
    called: str
    made_by: str
    shared: bool
    version: int
    made_at: dt.datetime
    edited_at: dt.datetime | None


_NUMBER = func.coalesce(CustomerKey.customer_id, Note.delivery_id, Note.list_id)
_ROW = (
    select(
        Note.id,
        Note.about,
        _NUMBER,
        Note.label,
        Note.age,
        Note.text,
        func.coalesce(Delivery.file_name, CustomerList.name, ""),
        Note.made_by,
        Note.shared,
        Note.version,
        Note.made_at,
        Note.edited_at,
    )
    .outerjoin(CustomerKey, CustomerKey.id == Note.customer_key_id)
    .outerjoin(Delivery, Delivery.id == Note.delivery_id)
    .outerjoin(CustomerList, CustomerList.id == Note.list_id)
)


def _row(found: Sequence[Any]) -> NoteRow:
    number, about, thing, label, age, *rest = found
    return NoteRow(number, Thing(about, thing, label, age), *rest)


def _seen(book_id: int) -> ColumnElement[bool]:
    """Which notes of a book whoever acts sees: those that are shared, and their own; of a list, who sees it. A text may
    name customers, so that who may not see who they are reads what they wrote themselves."""
    who = actor()
    there = or_(Note.list_id.is_(None), and_(CustomerList.book_id == book_id, visible_lists()))
    if who.sees_everything:
        return and_(Note.book_id == book_id, there)
    own = Note.made_by == who.name
    return and_(Note.book_id == book_id, there, or_(own, Note.shared) if who.sees_people else own)


def _of(thing: Thing) -> list[ColumnElement[bool]]:
    which = [Note.about == thing.about, Note.label == thing.label, Note.age.is_not_distinct_from(thing.age)]
    return which if thing.number is None else [*which, _NUMBER.is_not_distinct_from(thing.number)]


def list_notes(
    engine: Engine, book_id: int, thing: Thing | None, finding: str, offset: int, limit: int
) -> tuple[int, list[NoteRow]]:
    """How many notes whoever acts sees, and some of them, the newest first: those on a thing where one is given, those
    with words in them where any are."""
    which = [_seen(book_id), *([] if thing is None else _of(thing))]
    which += [Note.text.contains(word, autoescape=True) for word in finding.split()]
    with engine.connect() as connection:
        chosen = _ROW.where(*which)
        total = connection.execute(select(func.count()).select_from(chosen.subquery())).scalar_one()
        rows = connection.execute(chosen.order_by(Note.id.desc()).offset(offset).limit(limit)).all()
    return int(total), [_row(row) for row in rows]


def noted_things(engine: Engine, book_id: int) -> list[tuple[Thing, int]]:
    """What there are notes on that whoever acts sees, and how many on each."""
    chosen = _ROW.where(_seen(book_id)).with_only_columns(Note.about, _NUMBER, Note.label, Note.age)
    counts: dict[Thing, int] = {}
    with engine.connect() as connection:
        for row in connection.execute(chosen):
            thing = Thing(*row)
            counts[thing] = counts.get(thing, 0) + 1
    return list(counts.items())


def find_note(engine: Engine, book_id: int, note: int) -> NoteRow:
    """One note. Raises `NotFound`."""
    with engine.connect() as connection:
        found = connection.execute(_ROW.where(_seen(book_id), Note.id == note)).first()
    if found is None:
        raise NotFound("There is no such note any more.", remedy="Look at the notes of the book.")
    return _row(found)


def add_note(engine: Engine, book_id: int, thing: Thing, text: str) -> int:
    """Write a note; its number. It is for everybody in the book where its author may change the book. Raises
    `NotFound` and `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            count = select(func.count()).select_from(Note).where(Note.book_id == book_id)
            if connection.execute(count).scalar_one() >= NOTES_MOST:
                raise TooLarge(f"This book has {NOTES_MOST} notes.", remedy="Remove some that are not needed any more.")
            who, place = actor(), _place(connection, book_id, thing)
            shared = who.user is None or who.may(Right.CHANGE)
            values = {"book_id": book_id, "about": thing.about, "label": thing.label, "age": thing.age, "text": text}
            made = connection.execute(
                insert(Note).values(**values, **place, shared=shared, made_at=moment())
            ).inserted_primary_key
            moved(connection, book_id)
            return int(made[0]) if made else 0

    return tried_again(once)


def _place(connection: Connection, book_id: int, thing: Thing) -> dict[str, int]:
    """The column that says what a note is about. Raises `NotFound`."""
    match thing.about:
        case NoteOn.CUSTOMER:
            # whoever was matched meanwhile is known by another number
            mine = or_(CustomerKey.customer_id == thing.number, CustomerKey.id == thing.number)
            wanted = select(func.min(CustomerKey.id)).where(CustomerKey.book_id == book_id, mine)
            column = "customer_key_id"
        case NoteOn.DELIVERY:
            mine = Delivery.id == thing.number
            wanted, column = select(Delivery.id).where(Delivery.book_id == book_id, mine), "delivery_id"
        case NoteOn.LIST:
            mine = CustomerList.id == thing.number
            wanted = select(CustomerList.id).where(CustomerList.book_id == book_id, mine, visible_lists())
            column = "list_id"
        case _:
            return {}
    found = connection.execute(wanted).scalar()
    if found is None:
        raise NotFound(f"There is no such {thing.about} in this book.", remedy="Look it up again.", field="key")
    return {column: int(found)}


def edit_note(engine: Engine, book_id: int, note: int, text: str, seen: int | None) -> None:
    """Write a note anew. Raises `NotFound`, `NotAllowed`, and `Conflict` when a version after the one that was
    ``seen`` was written."""
    row = find_note(engine, book_id, note)
    actor().must_have_made(row.made_by, "note")
    version = row.version if seen is None else seen
    with engine.begin() as connection:
        newer = {"text": text, "version": version + 1, "edited_at": moment()}
        changed = connection.execute(update(Note).where(Note.id == note, Note.version == version).values(newer))
        if not changed.rowcount:
            raise Conflict(
                "This note was edited meanwhile.",
                remedy="Read it as it is now, and save yours again if it still holds.",
                field="text",
            )
        moved(connection, book_id)


def remove_note(engine: Engine, book_id: int, note: int) -> None:
    """Take a note back. Raises `NotFound` and `NotAllowed`."""
    row = find_note(engine, book_id, note)
    actor().must_have_made(row.made_by, "note")
    with engine.begin() as connection:
        connection.execute(delete(Note).where(Note.id == note))
        moved(connection, book_id)
