"""Books, sources and deliveries on record, and the details of customers and orders by id."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy import Engine, func, insert, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from goldthread.core.records import FileKind, OrderStatus
from goldthread.errors import Conflict, NotFound
from goldthread.store.models import (
    Book,
    Customer,
    CustomerKey,
    Delivery,
    DeliveryProblem,
    Order,
    Source,
)

_IDS_PER_STATEMENT = 5_000


@dataclass(frozen=True)
class BookRow:
    """A book on record."""

    id: int
    name: str
    currency: str
    time_zone: str
    revision: int


@dataclass(frozen=True)
class DeliveryRow:
    """One line of the delivery log, newest first; times are UTC."""

    id: int
    source: str
    kind: FileKind
    file_name: str
    delivered_at: dt.datetime
    counts: dict[str, int]


@dataclass(frozen=True)
class ProblemRow:
    """A row's problem as the log keeps it."""

    row: int
    rejected: bool
    column: str
    value: str
    reason: str
    remedy: str


@dataclass(frozen=True)
class OrderDetail:
    """What a list shows of an order."""

    source: str
    number: str
    status: OrderStatus
    date: dt.date
    amount: Decimal


def add_book(engine: Engine, name: str, currency: str, time_zone: str) -> BookRow:
    """Begin a book. Raises `Conflict` when the name is taken."""
    made_at = dt.datetime.now(dt.UTC).replace(tzinfo=None, microsecond=0)
    try:
        with engine.begin() as connection:
            connection.execute(
                insert(Book).values(
                    name=name, currency=currency, time_zone=time_zone, revision=0, next_order_id=1, created_at=made_at
                )
            )
    except IntegrityError:
        raise Conflict(f"There is a book called {name} already.", remedy="Choose another name.", field="name") from None
    return find_book(engine, name)


def list_books(engine: Engine) -> list[BookRow]:
    """All books, by name."""
    with Session(engine) as session:
        return [_book(book) for book in session.scalars(select(Book).order_by(Book.name))]


def find_book(engine: Engine, name_or_id: str | int) -> BookRow:
    """A book by its id or its name. Raises `NotFound` and says which books there are."""
    wanted = Book.id == name_or_id if isinstance(name_or_id, int) else Book.name == name_or_id
    with Session(engine) as session:
        found = session.scalars(select(Book).where(wanted)).first()
    if found is None:
        names = ", ".join(book.name for book in list_books(engine)) or "none yet"
        raise NotFound(f"There is no book called {name_or_id}.", remedy=f"Books on record: {names}.", field="book")
    return _book(found)


def source_names(engine: Engine, book_id: int) -> list[str]:
    """Names of a book's sources, in the order in which they first delivered."""
    with engine.connect() as connection:
        found = connection.execute(select(Source.name).where(Source.book_id == book_id).order_by(Source.id))
        return list(found.scalars())


def list_deliveries(engine: Engine, book_id: int) -> list[DeliveryRow]:
    """The delivery log of a book, newest first."""
    with engine.connect() as connection:
        rows = connection.execute(
            select(
                Delivery.id,
                Source.name,
                Delivery.kind,
                Delivery.file_name,
                Delivery.delivered_at,
                Delivery.counts,
            )
            .join(Source, Source.id == Delivery.source_id)
            .where(Delivery.book_id == book_id)
            .order_by(Delivery.id.desc())
        ).all()
    return [DeliveryRow(*row) for row in rows]


def list_problems(
    engine: Engine, book_id: int, delivery_id: int, offset: int, limit: int
) -> tuple[int, list[ProblemRow]]:
    """How many problems a delivery had, and some of them in the order of the file. Raises `NotFound`."""
    with engine.connect() as connection:
        owner = connection.execute(select(Delivery.book_id).where(Delivery.id == delivery_id)).scalar()
        if owner != book_id:
            raise NotFound("There is no such delivery in this book.", remedy="Choose one from the delivery log.")
        mine = DeliveryProblem.delivery_id == delivery_id
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


def customer_names(engine: Engine, customer_ids: Sequence[int]) -> dict[int, str]:
    """Names of some customers by id."""
    names: dict[int, str] = {}
    with engine.connect() as connection:
        for some in _pieces(customer_ids):
            rows = connection.execute(select(Customer.id, Customer.name).where(Customer.id.in_(some)))
            names |= {row[0]: row[1] for row in rows}
    return names


def customer_keys(engine: Engine, customer_ids: Sequence[int]) -> dict[int, str]:
    """The key of each of some customers, a number before an e-mail."""
    keys: dict[int, str] = {}
    with engine.connect() as connection:
        for some in _pieces(customer_ids):
            rows = connection.execute(
                select(CustomerKey.customer_id, CustomerKey.value)
                .where(CustomerKey.customer_id.in_(some))
                .order_by(CustomerKey.kind.desc(), CustomerKey.value.desc())
            )
            keys |= {row[0]: row[1] for row in rows}
    return keys


def order_details(engine: Engine, book_id: int, order_ids: Sequence[int]) -> dict[int, OrderDetail]:
    """Details of some orders of a book by id."""
    details: dict[int, OrderDetail] = {}
    with engine.connect() as connection:
        for some in _pieces(order_ids):
            rows = connection.execute(
                select(Order.id, Source.name, Order.order_number, Order.status, Order.ordered_on, Order.amount)
                .join(Source, Source.id == Order.source_id)
                .where(Order.book_id == book_id, Order.id.in_(some))
            )
            details |= {row[0]: OrderDetail(*row[1:]) for row in rows}
    return details


def _pieces(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    """Ids in pieces that one statement can hold."""
    for start in range(0, len(ids), _IDS_PER_STATEMENT):
        yield ids[start : start + _IDS_PER_STATEMENT]


def _book(book: Book) -> BookRow:
    return BookRow(book.id, book.name, book.currency, book.time_zone, book.revision)
