"""A book brought from one revision to the next without reading it whole: for orders put in by hand.

Only the threads of customers whose orders changed are read, and take the place of the old ones. Every other change (a
file, a withdrawal, a customer, a match of customers) means reading the book anew.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, bindparam, func, select, text

from goldthread.core.book.order_book import OrderBook
from goldthread.core.records import FileKind
from goldthread.store.read.lined import lined_query
from goldthread.store.read.orders_out import read_threads
from goldthread.store.revisions import Stamped, present_revision, stamp_of
from goldthread.store.schema.models import Customer, Delivery
from goldthread.store.server.bulk import Record

MOST_DELIVERIES = 50

_OWNERS = """
SELECT DISTINCT k.customer_id FROM orders put
JOIN orders o ON o.source_id = put.source_id AND o.order_number = put.order_number
JOIN customer_keys k ON k.id = o.customer_key_id
WHERE put.book_id = :book AND put.id IN :ids
"""


def book_since(record: Record, book_id: int, known: OrderBook, known_at: Stamped, wanted: Stamped) -> OrderBook | None:
    """The book at a revision, made of what it was at an earlier one; None when it must be read anew.

    A revision that the record was never at, because a copy was put back since, is no earlier one.
    """
    with record.engine.connect() as connection:
        if stamp_of(connection, book_id, known_at.number) != known_at.stamp:
            return None
        put = _orders_put(connection, book_id, known_at.number, wanted.number)
        if put is None:
            return None
        owners = connection.execute(
            text(_OWNERS).bindparams(bindparam("ids", expanding=True)), {"book": book_id, "ids": put}
        ).scalars()
        places = _places(known, np.array(sorted(owners), np.int64))
        customers = connection.execute(select(func.count()).where(Customer.book_id == book_id)).scalar_one()
    if places is None or customers != known.customer_count:
        return None
    threads = read_threads(record, book_id, known.customer_id.take(places))
    return known.with_threads(places, threads) if present_revision(record.engine, book_id) == wanted else None


def holds_still(record: Record, book_id: int, at: Stamped) -> bool:
    """Whether what the lines and attributes of orders say now, they said at a revision too: nothing but orders by hand
    came since, which are versions of their own, and no order stands in two files of one source."""
    present = present_revision(record.engine, book_id)
    if present == at:
        return True
    with record.engine.connect() as connection:
        if stamp_of(connection, book_id, at.number) != at.stamp:
            return False
        put = _orders_put(connection, book_id, at.number, present.number)
    return put is not None and lined_query(record, book_id) is None


def _orders_put(connection: Connection, book_id: int, known_revision: int, revision: int) -> list[int] | None:
    """Ids of the orders put in by hand since a revision; None when anything else happened."""
    rows = connection.execute(
        select(
            Delivery.kind, Delivery.by_hand, Delivery.withdrawn_at, Delivery.first_order_id, Delivery.last_order_id
        ).where(Delivery.book_id == book_id, Delivery.book_revision > known_revision)
    ).all()
    by_hand = all(row[0] is FileKind.ORDERS and row[1] and row[2] is None for row in rows)
    if not by_hand or len(rows) != revision - known_revision or len(rows) > MOST_DELIVERIES:
        return None
    return [order for *_, first, last in rows for order in range(first, last + 1)]


def _places(book: OrderBook, ids: NDArray[np.int64]) -> NDArray[np.int64] | None:
    """Where customers stand in a book, ascending; None when one is not there yet."""
    places = np.flatnonzero(np.isin(book.customer_id, ids))
    return places if places.size == ids.size else None
