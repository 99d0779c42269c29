"""Books, sources and deliveries on record, and the details of customers and orders by id."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Connection, Engine, Select, and_, bindparam, exists, func, insert, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from goldthread.actor import Role, actor
from goldthread.core.records import FileKind, KeyKind
from goldthread.errors import Conflict, NotFound
from goldthread.store.datasets import DatasetRow, insert_dataset
from goldthread.store.revisions import Stamped, step_to
from goldthread.store.schema.models import (
    Book,
    CustomerKey,
    CustomerList,
    Delivery,
    DeliveryProblem,
    Event,
    Payment,
    Revision,
    Source,
    SpendEntry,
)
from goldthread.store.schema.people import Member
from goldthread.store.server.engine import now
from goldthread.store.write.delivery import RejectedRow
from goldthread.store.write.orders_in import rejected_rows

_TOLD_MOST = 200


@dataclass(frozen=True)
class BookRow:
    """A book on record. ``usual`` : its usual settings, a JSON object; empty for none."""

    id: int
    name: str
    currency: str
    time_zone: str
    revision: int
    usual: str = ""


@dataclass(frozen=True)
class BookState:
    """A book, the stamp of its revision, and what distinguishes its present lists, and what it does by itself, from any
    others.

    ``has_own``: some lists are their author's alone. ``hides_people``: from whoever only reads it.
    """

    book: BookRow
    at: Stamped
    lists: tuple[int, int, int, int]
    has_own: bool
    hides_people: bool

    @classmethod
    def read(cls, told: str) -> BookState:
        """A state as `STATE` gives it."""
        *row, stamp, newest, count, names, rounds, has_own, hides_people = json.loads(told)
        book = BookRow(*row)
        lists = (int(newest), int(count), int(names), int(rounds))
        return cls(book, Stamped(book.revision, stamp), lists, bool(has_own), bool(hides_people))


@dataclass(frozen=True)
class DeliveryRow:
    """One line of the delivery log, newest first; times are UTC."""

    id: int
    source: str
    kind: FileKind
    file_name: str
    by_hand: bool
    delivered_at: dt.datetime
    withdrawn_at: dt.datetime | None
    counts: dict[str, int]
    made_by: str


@dataclass(frozen=True)
class Remembered:
    """How a file of a source was read: the columns it had, and what was said of them."""

    source: str
    kind: FileKind
    header: list[str]
    reading: dict[str, Any]


@dataclass(frozen=True)
class ProblemGroupRow:
    """Problems of a delivery by column and reason: how many, and one of the values."""

    column: str
    reason: str
    remedy: str
    rejected: bool
    count: int
    example: str


@dataclass(frozen=True)
class Holdings:
    """What a book holds besides orders and customers."""

    payments: int
    spend: int
    events: int


@dataclass(frozen=True)
class ProblemRow:
    """A row's problem as the log keeps it."""

    row: int
    rejected: bool
    column: str
    value: str
    reason: str
    remedy: str


_LOG = select(
    Delivery.id,
    Source.name,
    Delivery.kind,
    Delivery.file_name,
    Delivery.by_hand,
    Delivery.delivered_at,
    Delivery.withdrawn_at,
    Delivery.counts,
    Delivery.made_by,
).join(Source, Source.id == Delivery.source_id)


def _state_of_a_book() -> Select[Any]:
    mine = CustomerList.book_id == Book.id
    newest = select(func.coalesce(func.max(CustomerList.id), 0)).where(mine).scalar_subquery()
    count = select(func.count()).where(mine).scalar_subquery()
    parts = (CustomerList.id, " ", CustomerList.changes, " ", CustomerList.shared, " ", CustomerList.name)
    names = select(func.coalesce(func.sum(func.crc32(func.concat(*parts))), 0)).where(mine).scalar_subquery()
    has_own = func.if_(exists().where(mine, ~CustomerList.shared), 1, 0)
    book = Book.id, Book.name, Book.currency, Book.time_zone, Book.revision, Book.usual
    return (
        # one column: to make ready for ten takes longer than asking for them
        select(func.json_array(*book, Revision.stamp, newest, count, names, Book.rounds, has_own, Book.hides_people))
        .select_from(Book)
        .join(Revision, and_(Revision.book_id == Book.id, Revision.number == Book.revision))
        .where(Book.id == bindparam("book"))
    )


STATE = _state_of_a_book()
"""Asked with every question: building it takes longer than asking it."""


def add_book(engine: Engine, name: str, currency: str, time_zone: str, dataset: DatasetRow | None = None) -> BookRow:
    """Begin a book; ``dataset`` : where its orders stay, if they do. Raises `Conflict` when the name is taken."""
    with engine.begin() as connection:
        book_id = insert_book(connection, name, currency, time_zone)
        if dataset is not None:
            insert_dataset(connection, book_id, dataset)
    return find_book(engine, book_id)


def insert_book(connection: Connection, name: str, currency: str, time_zone: str) -> int:
    """Begin a book in a transaction of the caller's; its id. Whoever begins it owns it. Raises `Conflict` when the name
    is taken."""
    try:
        made = connection.execute(
            insert(Book).values(
                name=name, currency=currency, time_zone=time_zone, revision=0, next_order_id=1, created_at=now()
            )
        )
    except IntegrityError:
        raise Conflict(f"There is a book called {name} already.", remedy="Choose another name.", field="name") from None
    key: Any = made.inserted_primary_key
    step_to(connection, int(key[0]), 0)
    begun_by = actor().user
    if begun_by is not None:
        connection.execute(insert(Member).values(book_id=key[0], user_id=begun_by, role=Role.OWNER, made_at=now()))
    return int(key[0])


def hide_people(engine: Engine, book_id: int, *, hidden: bool) -> None:
    """Have whoever only reads a book see numbers of customers in place of names and contacts, or names again."""
    with engine.begin() as connection:
        connection.execute(update(Book).where(Book.id == book_id).values(hides_people=hidden))


def list_books(engine: Engine) -> list[BookRow]:
    """All books, by name."""
    with Session(engine) as session:
        return [_book(book) for book in session.scalars(select(Book).order_by(Book.name))]


_ROW = select(Book.id, Book.name, Book.currency, Book.time_zone, Book.revision, Book.usual)
_BY_ID, _BY_NAME = _ROW.where(Book.id == bindparam("book")), _ROW.where(Book.name == bindparam("book"))


def find_book(engine: Engine, name_or_id: str | int) -> BookRow:
    """A book by its id or its name. Raises `NotFound`, which names no other book."""
    statement = _BY_ID if isinstance(name_or_id, int) else _BY_NAME
    with engine.connect() as connection:
        row = connection.execute(statement, {"book": name_or_id}).first()
    if row is None:
        raise no_book()
    return BookRow(*row)


def book_state(engine: Engine, book_id: int) -> BookState:
    """A book with all that its answers depend on, in one statement. Raises `NotFound`."""
    with engine.connect() as connection:
        found = connection.execute(STATE, {"book": book_id}).scalar()
    if found is None:
        raise no_book()
    return BookState.read(found)


def no_book() -> NotFound:
    """What is said of a book that is not there, or not for whoever asks."""
    return NotFound(
        "There is no such book.", remedy="Choose one from the list of books (goldthread book list).", field="book"
    )


def source_names(engine: Engine, book_id: int) -> list[str]:
    """Names of the sources of which the book has a delivery of a file, in the order in which they first delivered."""
    delivered = select(Delivery.source_id).where(
        Delivery.book_id == book_id, Delivery.withdrawn_at.is_(None), Delivery.by_hand.is_(False)
    )
    with engine.connect() as connection:
        found = connection.execute(select(Source.name).where(Source.id.in_(delivered)).order_by(Source.id))
        return list(found.scalars())


def remembered_readings(engine: Engine, book_id: int) -> list[Remembered]:
    """How the files of a book were read, the newest of each source and kind, newest first."""
    newest = (
        select(func.max(Delivery.id))
        .where(Delivery.book_id == book_id, Delivery.withdrawn_at.is_(None), Delivery.by_hand.is_(False))
        .group_by(Delivery.source_id, Delivery.kind)
    )
    with engine.connect() as connection:
        rows = connection.execute(
            select(Source.name, Delivery.kind, Delivery.header, Delivery.reading)
            .join(Source, Source.id == Delivery.source_id)
            .where(Delivery.id.in_(newest), func.json_length(Delivery.header) > 0)
            .order_by(Delivery.id.desc())
        ).all()
    return [Remembered(*row) for row in rows]


def holdings(engine: Engine, book_id: int) -> Holdings:
    """How many payments, months and channels of spend, and events a book holds."""
    with engine.connect() as connection:
        counts = [
            connection.execute(
                select(func.count()).select_from(entry).where(entry.book_id == book_id, entry.current)
            ).scalar_one()
            for entry in (Payment, SpendEntry, Event)
        ]
    return Holdings(*counts)


def list_deliveries(engine: Engine, book_id: int, offset: int = 0, limit: int | None = None) -> list[DeliveryRow]:
    """The delivery log of a book, newest first, or a part of it."""
    with engine.connect() as connection:
        rows = connection.execute(
            _LOG.where(Delivery.book_id == book_id).order_by(Delivery.id.desc()).offset(offset).limit(limit)
        ).all()
    found = [DeliveryRow(*row) for row in rows]
    # a change by hand is called after the customer whom it is about
    hidden = not actor().sees_people
    return [replace(row, file_name=str(row.kind)) if hidden and row.by_hand else row for row in found]


def delivery_count(engine: Engine, book_id: int) -> int:
    """How many lines the delivery log has."""
    with engine.connect() as connection:
        mine = select(func.count()).select_from(Delivery).where(Delivery.book_id == book_id)
        return int(connection.execute(mine).scalar_one())


def find_delivery(engine: Engine, book_id: int, delivery_id: int) -> DeliveryRow:
    """One delivery of a book. Raises `NotFound`."""
    with engine.connect() as connection:
        row = connection.execute(_LOG.where(Delivery.book_id == book_id, Delivery.id == delivery_id)).first()
    if row is not None:
        return DeliveryRow(*row)
    raise NotFound("There is no such delivery in this book.", remedy="Choose one from the delivery log.")


def delivery_reading(engine: Engine, delivery_id: int) -> tuple[list[str], dict[str, Any]]:
    """The columns that a delivery's file had, and how they were read."""
    with engine.connect() as connection:
        header, reading = connection.execute(
            select(Delivery.header, Delivery.reading).where(Delivery.id == delivery_id)
        ).one()
    return header, reading


def list_problems(engine: Engine, delivery_id: int, offset: int, limit: int) -> tuple[int, list[ProblemRow]]:
    """How many problems a delivery had, and some of them in the order of the file."""
    mine = DeliveryProblem.delivery_id == delivery_id
    with engine.connect() as connection:
        total = connection.execute(select(func.count()).select_from(DeliveryProblem).where(mine)).scalar_one()
        rows = connection.execute(
            select(
                DeliveryProblem.file_row,
                DeliveryProblem.rejected,
                DeliveryProblem.column_name,
                DeliveryProblem.value,
                DeliveryProblem.reason,
                DeliveryProblem.remedy,
            )
            .where(mine)
            .order_by(DeliveryProblem.sequence)
            .offset(offset)
            .limit(limit)
        ).all()
    return total, [ProblemRow(*row) for row in rows]


def problem_groups(engine: Engine, delivery_id: int) -> list[ProblemGroupRow]:
    """A delivery's problems by column and reason, the most frequent first."""
    column, reason, rejected = DeliveryProblem.column_name, DeliveryProblem.reason, DeliveryProblem.rejected
    with engine.connect() as connection:
        rows = connection.execute(
            select(
                column,
                reason,
                func.min(DeliveryProblem.remedy),
                rejected,
                func.count(),
                func.min(DeliveryProblem.value),
            )
            .where(DeliveryProblem.delivery_id == delivery_id)
            .group_by(column, reason, rejected)
            .order_by(func.count().desc(), column, reason)
        ).all()
    return [ProblemGroupRow(*row) for row in rows]


def rejected_of(engine: Engine, delivery_id: int) -> Iterator[RejectedRow]:
    """The rejected rows of a delivery as they stood in the file, one after another."""
    with engine.connect() as connection:
        yield from rejected_rows(connection, delivery_id)


def _book(book: Book) -> BookRow:
    return BookRow(book.id, book.name, book.currency, book.time_zone, book.revision, book.usual)


def keys_on_record(engine: Engine, book_id: int, kind: KeyKind, values: Sequence[str]) -> set[str]:
    """Which of some keys the customers of a book are known by."""
    wanted = select(CustomerKey.value).where(CustomerKey.book_id == book_id, CustomerKey.kind == kind.value)
    with engine.connect() as connection:
        return set(connection.execute(wanted.where(CustomerKey.value.in_(values))).scalars())


def changed_ago_seconds(engine: Engine) -> dict[int, float]:
    """How long ago something was brought into each book, by its id; of those that were changed last."""
    latest = func.max(Delivery.delivered_at)
    query = select(Delivery.book_id, latest).group_by(Delivery.book_id).order_by(latest.desc()).limit(_TOLD_MOST)
    with engine.connect() as connection:
        rows = connection.execute(query).all()
    return {book: (now() - at).total_seconds() for book, at in rows}
