"""A delivery taken back: the book becomes what it would be had the delivery never come.

Its versions of orders and entries go, and of each the newest that is left is read again; its customer records and
matches go, and whoever they touched is worked out anew; a key that nothing names any more goes with its customer. The
delivery keeps its line in the log.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Engine, Row, select, text, update

from goldthread.core.records import FileKind, Progress
from goldthread.errors import Conflict, NotFound
from goldthread.store.revisions import keep_others_out, step_to
from goldthread.store.schema.models import Book, Delivery
from goldthread.store.server.engine import now, transaction
from goldthread.store.write import identity, own_attributes
from goldthread.store.write.staged_entries import ENTRIES
from goldthread.store.write.touched import Touched


@dataclass(frozen=True)
class Withdrawal:
    """What a withdrawal undid: records that are gone, and records that are read as they were before."""

    delivery_id: int
    file_name: str
    records_gone: int
    records_back: int
    customers_gone: int
    book_revision: int


_STEPS = 3
_ORDERS_PER_STEP = 50_000
_KEYS_TOLD = (
    "SELECT key_id FROM customer_records WHERE book_id = :book AND delivery_id = :delivery "
    "UNION SELECT email_key_id FROM customer_records WHERE book_id = :book AND delivery_id = :delivery "
    "AND email_key_id IS NOT NULL"
)
_KEYS = {
    FileKind.ORDERS: "SELECT customer_key_id AS key_id FROM orders WHERE book_id = :book "
    f"AND id BETWEEN :low AND :high UNION {_KEYS_TOLD}",
    FileKind.PAYMENTS: "SELECT DISTINCT customer_key_id AS key_id FROM payments WHERE delivery_id = :delivery",
    FileKind.CUSTOMERS: _KEYS_TOLD,
    FileKind.MATCHES: "SELECT key_id FROM matches WHERE book_id = :book AND delivery_id = :delivery "
    "UNION SELECT other_key_id FROM matches WHERE book_id = :book AND delivery_id = :delivery",
}
_KEYS[FileKind.LINES] = _KEYS[FileKind.ORDERS]
_DROP_RECORDS = "DELETE FROM {table} WHERE book_id = :book AND delivery_id = :delivery"
_LOOSE = "CREATE TEMPORARY TABLE loose (key_id BIGINT NOT NULL PRIMARY KEY)"
_DROP_KEYS = """
DELETE k FROM customer_keys k JOIN loose l ON l.key_id = k.id
WHERE NOT EXISTS (SELECT 1 FROM orders o WHERE o.customer_key_id = k.id)
  AND NOT EXISTS (SELECT 1 FROM payments p WHERE p.customer_key_id = k.id)
  AND NOT EXISTS (SELECT 1 FROM customer_records r WHERE r.key_id = k.id)
  AND NOT EXISTS (SELECT 1 FROM customer_records r WHERE r.email_key_id = k.id)
  AND NOT EXISTS (SELECT 1 FROM matches m WHERE m.key_id = k.id)
  AND NOT EXISTS (SELECT 1 FROM matches m WHERE m.other_key_id = k.id)
"""


def withdraw(engine: Engine, book_id: int, delivery_id: int, progress: Progress) -> Withdrawal:
    """Take a delivery back, in one transaction.

    Raises `NotFound`, `Conflict` for one that is withdrawn already, and what ``progress`` raises between the steps.
    """
    with transaction(engine) as connection:
        keep_others_out(connection, book_id)
        book = select(Book.revision, Book.next_order_id).where(Book.id == book_id)
        revision, next_order_id = connection.execute(book).one()
        found = connection.execute(
            select(Delivery).where(Delivery.id == delivery_id, Delivery.book_id == book_id)
        ).first()
        if found is None:
            raise NotFound("There is no such delivery in this book.", remedy="Choose one from the delivery log.")
        if found.withdrawn_at is not None:
            raise Conflict(
                f"{found.file_name} is withdrawn already.",
                remedy="Import the file again if it belongs into the book.",
            )
        rows = max(found.last_order_id - found.first_order_id + 1, int(found.counts.get("rows_in", 0)))
        touched = Touched(connection, rows, next_order_id)
        undone = _undo(connection, found, revision + 1, touched, progress)
        connection.execute(
            update(Delivery).where(Delivery.id == delivery_id).values(withdrawn_at=now(), fingerprint=None)
        )
        step_to(connection, book_id, revision + 1, touched.ids())
        connection.commit()
        return undone


def _undo(
    connection: Connection, delivery: Row[Any], revision: int, touched: Touched, progress: Progress
) -> Withdrawal:
    values = {
        "book": delivery.book_id,
        "source": delivery.source_id,
        "delivery": delivery.id,
        "low": delivery.first_order_id,
        "high": delivery.last_order_id,
    }
    progress("finding", 0, _STEPS)
    connection.execute(text("SET SESSION foreign_key_checks = 0"))
    customers_before = _customer_count(connection, delivery.book_id)
    keys = _KEYS.get(delivery.kind)
    if keys:
        connection.execute(text(f"{_LOOSE} {keys}"), values)
        identity.gather(connection, "SELECT key_id FROM loose", {})
    progress("removing", 1, _STEPS)
    if delivery.kind in (FileKind.ORDERS, FileKind.LINES):
        touched.of_orders(values)
        gone, back = _undo_orders(connection, values, progress)
        own_attributes.remove(connection, delivery.book_id, delivery.id)
        connection.execute(text(_DROP_RECORDS.format(table="customer_records")), values)
    elif delivery.kind in ENTRIES:
        gone, back = _undo_entries(connection, delivery.kind, values)
        if delivery.kind is FileKind.PAYMENTS:
            touched.of_payments(values, "freed")
    else:
        table = "customer_records" if delivery.kind is FileKind.CUSTOMERS else "matches"
        gone, back = connection.execute(text(_DROP_RECORDS.format(table=table)), values).rowcount, 0
    progress("settling", _STEPS - 1, _STEPS)
    if keys:
        connection.execute(text(_DROP_KEYS))
        identity.settle(connection, progress)
        touched.settled()
    fewer = customers_before - _customer_count(connection, delivery.book_id)
    return Withdrawal(delivery.id, delivery.file_name, gone, back, fewer, revision)


def _customer_count(connection: Connection, book_id: int) -> int:
    counted = text("SELECT COUNT(*) FROM customers WHERE book_id = :book")
    return int(connection.execute(counted, {"book": book_id}).scalar_one())


_FREED = """
CREATE TEMPORARY TABLE freed (order_number VARCHAR(64) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY)
SELECT DISTINCT order_number FROM orders WHERE book_id = :book AND id BETWEEN :low AND :high AND current
"""
_READ_AGAIN = """
UPDATE orders o JOIN (SELECT v.order_number, COALESCE(MAX(IF(v.from_lines, NULL, v.id)), MAX(v.id)) AS id
  FROM freed f STRAIGHT_JOIN orders v ON v.source_id = :source AND v.order_number = f.order_number
  GROUP BY v.order_number) newest ON newest.order_number = o.order_number AND o.id = newest.id
SET o.current = TRUE WHERE o.source_id = :source AND o.book_id = :book
"""


def _undo_orders(connection: Connection, values: dict[str, Any], progress: Progress) -> tuple[int, int]:
    mine = "book_id = :book AND {0} BETWEEN :low AND :high"
    connection.execute(text(_FREED), values)
    gone, low, high = 0, int(values["low"]), int(values["high"])
    # in pieces, so that it can be followed and stopped
    for first in range(low, high + 1, _ORDERS_PER_STEP):
        piece = values | {"low": first, "high": min(first + _ORDERS_PER_STEP - 1, high)}
        for table in ("order_lines", "own_codes"):
            connection.execute(text(f"DELETE FROM {table} WHERE {mine.format('order_id')}"), piece)
        gone += connection.execute(text(f"DELETE FROM orders WHERE {mine.format('id')}"), piece).rowcount
        progress("removing", piece["high"] - low, high - low + 1)
    return gone, connection.execute(text(_READ_AGAIN), values).rowcount


def _undo_entries(connection: Connection, kind: FileKind, values: dict[str, Any]) -> tuple[int, int]:
    table = ENTRIES[kind]
    connection.execute(
        text(
            "CREATE TEMPORARY TABLE freed (identity VARCHAR(400) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY) "
            f"SELECT DISTINCT identity FROM {table.name} WHERE delivery_id = :delivery AND current"
        ),
        values,
    )
    gone = connection.execute(text(f"DELETE FROM {table.name} WHERE delivery_id = :delivery"), values).rowcount
    back = connection.execute(
        text(
            f"UPDATE {table.name} o JOIN (SELECT MAX(v.id) AS id FROM freed f STRAIGHT_JOIN {table.name} v "
            f"ON v.identity = f.identity AND v.{table.scope} GROUP BY v.identity) newest ON newest.id = o.id "
            "SET o.current = TRUE"
        ),
        values,
    ).rowcount
    return gone, back
