"""The record read back as columns for the core, in bulk."""

from __future__ import annotations

from dataclasses import dataclass

import connectorx
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from sqlalchemy import Engine, select

from goldthread.core.book import Attribute, OrderBook, OrderColumns
from goldthread.core.records import OrderStatus
from goldthread.errors import NotFound
from goldthread.store.instance import Address
from goldthread.store.models import Book, Source

_READ_AGAIN = 5
_MAX_ID = 2**62

ORDERS_QUERY = """
SELECT o.id AS id, o.customer_key_id AS customer_key, DATEDIFF(o.ordered_on, '1970-01-01') AS day,
  CAST(IFNULL(TIME_TO_SEC(o.ordered_at), -1) AS SIGNED) AS second, CAST(o.amount * 10000 AS SIGNED) AS amount,
  CAST(o.source_id AS SIGNED) AS source, CAST(o.status + 0 AS SIGNED) AS status, o.order_number AS number
FROM orders o WHERE o.book_id = {book} AND o.current AND o.id BETWEEN {low} AND {high}
"""
_KEYS = "SELECT id, customer_id FROM customer_keys WHERE book_id = {book}"
_CUSTOMERS = "SELECT id FROM customers WHERE book_id = {book} ORDER BY name, id"


@dataclass(frozen=True)
class Record:
    """The engine for small statements and the address for bulk reads of one database."""

    engine: Engine
    address: Address


class ArrowTexts:
    """Order numbers as the bulk reader gave them; decoded when asked for."""

    def __init__(self, column: pa.ChunkedArray) -> None:
        self._column = column

    def at(self, rows: NDArray[np.int64], /) -> list[str]:
        texts: list[str] = self._column.take(pa.array(rows)).to_pylist()
        return texts


def book_revision(engine: Engine, book_id: int) -> int:
    """The book's revision; it grows with every change. Raises `NotFound`."""
    with engine.connect() as connection:
        found = connection.execute(select(Book.revision).where(Book.id == book_id)).scalar()
    if found is None:
        raise NotFound("There is no such book.", remedy="Choose one of the books on record.")
    return int(found)


def load_book(record: Record, book_id: int) -> tuple[int, OrderBook]:
    """Read a whole book and its revision; read again when a delivery was committed meanwhile.

    Customers come in the order of their names, so that any ascending list of customers is alphabetical.
    """
    for _ in range(_READ_AGAIN):
        before = book_revision(record.engine, book_id)
        columns, customer_id = read_columns(record, book_id)
        if book_revision(record.engine, book_id) == before:
            return before, OrderBook.build(columns, customer_id)
    raise NotFound("The book kept changing while it was read.", remedy="Try again when deliveries have ended.")


def read_columns(record: Record, book_id: int) -> tuple[OrderColumns, NDArray[np.int64]]:
    """Unsorted order columns of a book, and its customers' ids in the order of their names."""
    orders = _read(record, ORDERS_QUERY.format(book=int(book_id), low=0, high=_MAX_ID))
    keys = _read(record, _KEYS.format(book=int(book_id)))
    customer_id = _numbers(_read(record, _CUSTOMERS.format(book=int(book_id))), "id")
    with record.engine.connect() as connection:
        sources = connection.execute(select(Source.id, Source.name).where(Source.book_id == book_id)).all()
    names = {row[0]: row[1] for row in sources}
    source_ids, source = _present(_numbers(orders, "source"))
    columns = OrderColumns(
        customer=_customers(_numbers(orders, "customer_key"), keys, customer_id),
        day=_numbers(orders, "day").astype(np.int32),
        amount_minor=_numbers(orders, "amount"),
        order_id=_numbers(orders, "id"),
        attributes={
            "source": Attribute(
                source,
                tuple(names[int(source_id)] for source_id in source_ids),
            ),
            "status": Attribute(
                (_numbers(orders, "status") - 1).astype(np.uint16), tuple(status.value for status in OrderStatus)
            ),
        },
        numbers=ArrowTexts(orders.column("number")),
        seconds=_seconds(_numbers(orders, "second")),
    )
    return columns, customer_id


def _read(record: Record, query: str) -> pa.Table:
    return connectorx.read_sql(record.address.bulk_url, query, return_type="arrow", protocol="binary")


def _numbers(table: pa.Table, name: str) -> NDArray[np.int64]:
    column = table.column(name).combine_chunks() if table.num_rows else pa.array([], pa.int64())
    numbers: NDArray[np.int64] = np.asarray(column.to_numpy(zero_copy_only=False)).astype(np.int64, copy=False)
    return numbers


def _present(ids: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.uint16]]:
    """The distinct ids that occur, ascending, and each entry's place among them."""
    occurring = np.flatnonzero(np.bincount(ids)).astype(np.int64)
    return occurring, np.searchsorted(occurring, ids).astype(np.uint16)


def _seconds(seconds: NDArray[np.int64]) -> NDArray[np.int32] | None:
    return seconds.astype(np.int32) if (seconds >= 0).any() else None


def _customers(order_keys: NDArray[np.int64], keys: pa.Table, customer_id: NDArray[np.int64]) -> NDArray[np.int32]:
    """Place in ``customer_id`` of each order's customer, by way of its key."""
    key, owner = _numbers(keys, "id"), _numbers(keys, "customer_id")
    by_key = np.argsort(key)
    by_id = np.argsort(customer_id)
    place_of_key = by_id[np.searchsorted(customer_id, owner, sorter=by_id)] if owner.size else owner
    found = by_key[np.searchsorted(key, order_keys, sorter=by_key)] if key.size else order_keys
    return place_of_key.take(found).astype(np.int32)
