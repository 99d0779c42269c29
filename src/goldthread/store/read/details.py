"""Details of customers and orders by id: what a page shows of the few that it lists."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy import Connection, Engine, case, func, select, tuple_

from goldthread.core.records import OrderStatus
from goldthread.errors import Outdated
from goldthread.store.read.orders_with_lines import lined_of
from goldthread.store.schema.models import (
    CustomerKey,
    Delivery,
    Event,
    Order,
    OrderLine,
    OwnCodes,
    OwnValue,
    Payment,
    Source,
    SpendEntry,
)

_IDS_PER_STATEMENT = 5_000


@dataclass(frozen=True)
class OrderDetail:
    """What a list shows of an order. ``time`` is empty where none is given;"""

    source: str
    number: str
    status: OrderStatus
    date: dt.date
    amount: Decimal
    time: str
    rep: str
    channel: str


@dataclass(frozen=True)
class OwnValueRow:
    """An own attribute of an order: its slot in the book, and the value as its type writes it."""

    slot: int
    value: str


@dataclass(frozen=True)
class LineRow:
    """One line of an order."""

    number: str
    product: str
    category: str
    quantity: Decimal | None
    amount: Decimal


@dataclass(frozen=True)
class PaymentRow:
    """A payment of a customer; ``order_number`` is empty where it names none. ``source`` is who sent it."""

    date: dt.date
    amount: Decimal
    reference: str
    order_number: str
    source: str


@dataclass(frozen=True)
class EventRow:
    """A campaign, a price change: something on the time axis. Both dates are inside. ``by_hand``: the delivery of one
    that was typed; None for one that was imported."""

    begins: dt.date
    ends: dt.date
    label: str
    by_hand: int | None = None


@dataclass(frozen=True)
class SpendRow:
    """What was spent in a month, named by its first day, to win customers through a channel."""

    month: dt.date
    channel: str
    amount: Decimal


@dataclass(frozen=True)
class OrderRow:
    """One order as it is on record; ``customer`` is the key that it names, ``version`` grows with every change."""

    version: int

    source: str
    number: str
    customer: str
    date: dt.date
    time: str
    amount: Decimal
    status: OrderStatus
    rep: str
    channel: str
    file_name: str


_TIME = func.coalesce(func.time_format(Order.ordered_at, "%H:%i:%s"), "")


def owners_of_keys(engine: Engine, key_ids: Sequence[int]) -> list[int]:
    """The customers that keys stand for now. The id of a customer is that of one of its keys."""
    owners: list[int] = []
    with engine.connect() as connection:
        for some in _pieces(key_ids):
            owners += connection.execute(select(CustomerKey.customer_id).where(CustomerKey.id.in_(some))).scalars()
    return owners


def order_details(engine: Engine, book_id: int, order_ids: Sequence[int]) -> dict[int, OrderDetail]:
    """Details of some orders of a book by id, each of them. Raises `Outdated` when one is not on record any more."""
    details: dict[int, OrderDetail] = {}
    with engine.connect() as connection:
        # joined here: the database would begin with the sources and walk through all of their orders
        sources = connection.execute(select(Source.id, Source.name).where(Source.book_id == book_id))
        names = {row[0]: row[1] for row in sources}
        for some in _pieces(order_ids):
            rows = connection.execute(
                select(
                    Order.id,
                    Order.source_id,
                    Order.order_number,
                    Order.status,
                    Order.ordered_on,
                    Order.amount,
                    _TIME,
                    Order.rep,
                    Order.channel,
                ).where(Order.book_id == book_id, Order.id.in_(some))
            )
            details |= {row[0]: OrderDetail(names[row[1]], *row[2:]) for row in rows}
    if len(details) < len(set(order_ids)):
        raise Outdated("An order was withdrawn while it was read.", remedy="Ask again.")
    return details


def own_values_of(engine: Engine, book_id: int, order_ids: Sequence[int]) -> dict[int, list[OwnValueRow]]:
    """The own attributes of some orders by id, of those that have any; what only its lines say is theirs too."""
    with engine.connect() as connection:
        lined = lined_of(connection, book_id, order_ids)
    found = _own_values_of(engine, book_id, [*order_ids, *lined.values()])
    for order_id, with_lines in lined.items():
        own = found.get(order_id, [])
        known = {row.slot for row in own}
        more = [row for row in found.get(with_lines, []) if row.slot not in known]
        if more:
            found[order_id] = sorted([*own, *more], key=lambda row: row.slot)
    return {order_id: rows for order_id, rows in found.items() if order_id in set(order_ids)}


def _own_values_of(engine: Engine, book_id: int, order_ids: Sequence[int]) -> dict[int, list[OwnValueRow]]:
    found: dict[int, list[OwnValueRow]] = {}
    slots = [column for column in OwnCodes.__table__.columns if column.name.startswith("own_")]
    with engine.connect() as connection:
        for some in _pieces(order_ids):
            rows = connection.execute(
                select(OwnCodes.__table__.c.order_id, Order.delivery_id, *slots)
                .join(Order, (Order.book_id == book_id) & (Order.id == OwnCodes.__table__.c.order_id))
                .where(OwnCodes.__table__.c.book_id == book_id, OwnCodes.__table__.c.order_id.in_(some))
            ).all()
            wanted = {(row[1], slot, code) for row in rows for slot, code in enumerate(row[2:], 1) if code is not None}
            values = _own_values(connection, book_id, sorted(wanted))
            for order_id, delivery, *codes in rows:
                found[order_id] = [
                    OwnValueRow(slot, values[delivery, slot, code])
                    for slot, code in enumerate(codes, 1)
                    if (delivery, slot, code) in values
                ]
    return found


def _own_values(
    connection: Connection, book_id: int, wanted: Sequence[tuple[int, int, int]]
) -> dict[tuple[int, int, int], str]:
    values: dict[tuple[int, int, int], str] = {}
    key = tuple_(OwnValue.delivery_id, OwnValue.slot, OwnValue.code)
    for start in range(0, len(wanted), _IDS_PER_STATEMENT):
        some = wanted[start : start + _IDS_PER_STATEMENT]
        rows = connection.execute(
            select(OwnValue.delivery_id, OwnValue.slot, OwnValue.code, OwnValue.value).where(
                OwnValue.book_id == book_id, key.in_(some)
            )
        )
        values |= {(row[0], row[1], row[2]): row[3] for row in rows}
    return values


def customer_of_order(engine: Engine, book_id: int, order_id: int) -> int | None:
    """The customer whose order it is; None where there is no such order."""
    owner = select(CustomerKey.customer_id).join(Order, Order.customer_key_id == CustomerKey.id)
    with engine.connect() as connection:
        return connection.execute(owner.where(Order.book_id == book_id, Order.id == order_id)).scalar()


def order_lines(engine: Engine, book_id: int, order_id: int) -> list[LineRow]:
    """The lines of an order as they were delivered, also by another file of its source; none for an order that has a
    header alone."""
    with engine.connect() as connection:
        order_id = lined_of(connection, book_id, [order_id]).get(order_id, order_id)
        rows = connection.execute(
            select(OrderLine.line_number, OrderLine.product, OrderLine.category, OrderLine.quantity, OrderLine.amount)
            .where(OrderLine.book_id == book_id, OrderLine.order_id == order_id)
            .order_by(OrderLine.sequence)
        ).all()
    return [LineRow(*row) for row in rows]


def payments_of(engine: Engine, customer_id: int) -> list[PaymentRow]:
    """The payments of a customer, earliest first."""
    with engine.connect() as connection:
        rows = connection.execute(
            select(Payment.paid_on, Payment.amount, Payment.reference, Payment.order_number, Source.name)
            .join(Source, Source.id == Payment.source_id)
            .join(CustomerKey, CustomerKey.id == Payment.customer_key_id)
            .where(CustomerKey.customer_id == customer_id, Payment.current)
            .order_by(Payment.paid_on, Payment.id)
        ).all()
    return [PaymentRow(*row) for row in rows]


def events_of(engine: Engine, book_id: int) -> list[EventRow]:
    """The events of a book, earliest first."""
    with engine.connect() as connection:
        rows = connection.execute(
            select(Event.begins_on, Event.ends_on, Event.label, case((Delivery.by_hand, Delivery.id)))
            .join(Delivery, Delivery.id == Event.delivery_id)
            .where(Event.book_id == book_id, Event.current)
            .order_by(Event.begins_on, Event.label)
        ).all()
    return [EventRow(*row) for row in rows]


def spend_of(engine: Engine, book_id: int) -> list[SpendRow]:
    """What was spent to win customers, by month and channel."""
    with engine.connect() as connection:
        rows = connection.execute(
            select(SpendEntry.month, SpendEntry.channel, SpendEntry.amount)
            .where(SpendEntry.book_id == book_id, SpendEntry.current)
            .order_by(SpendEntry.month, SpendEntry.channel)
        ).all()
    return [SpendRow(*row) for row in rows]


def keys_of_customer(engine: Engine, customer_id: int) -> list[str]:
    """Every number and e-mail under which a customer is known, numbers first."""
    with engine.connect() as connection:
        found = connection.execute(
            select(CustomerKey.value)
            .where(CustomerKey.customer_id == customer_id)
            .order_by(CustomerKey.kind, CustomerKey.value)
        )
        return list(found.scalars())


def order_on_record(connection: Connection, book_id: int, source: str, number: str) -> OrderRow | None:
    """The current version of an order, and what brought it; None when there is none."""
    row = connection.execute(
        select(
            Order.id,
            Source.name,
            Order.order_number,
            CustomerKey.value,
            Order.ordered_on,
            _TIME,
            Order.amount,
            Order.status,
            Order.rep,
            Order.channel,
            Delivery.file_name,
        )
        .join(Source, Source.id == Order.source_id)
        .join(CustomerKey, CustomerKey.id == Order.customer_key_id)
        .join(Delivery, Delivery.id == Order.delivery_id)
        .where(Order.book_id == book_id, Source.name == source, Order.order_number == number.strip(), Order.current)
    ).first()
    return OrderRow(*row) if row is not None else None


def _pieces(ids: Sequence[int]) -> Iterator[Sequence[int]]:
    """Ids in pieces that one statement can hold."""
    for start in range(0, len(ids), _IDS_PER_STATEMENT):
        yield ids[start : start + _IDS_PER_STATEMENT]
