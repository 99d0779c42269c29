"""What a book holds, without the numbers that the record gives: two books alike answer every question alike."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import Connection, text

from goldthread.store.books import BookRow
from goldthread.store.read.details import own_values_of
from goldthread.store.read.own_out import own_rows
from goldthread.workspace import Workspace

_QUERIES = {
    "orders": "SELECT s.name, o.order_number, k.kind, k.value, o.ordered_on, o.ordered_at, o.amount, o.status, o.rep, "
    "o.channel, o.from_lines FROM orders o JOIN sources s ON s.id = o.source_id "
    "JOIN customer_keys k ON k.id = o.customer_key_id WHERE o.book_id = :book AND o.current",
    "lines": "SELECT s.name, o.order_number, l.line_number, l.product, l.category, l.quantity, l.amount "
    "FROM order_lines l JOIN orders o ON o.book_id = l.book_id AND o.id = l.order_id "
    "JOIN sources s ON s.id = o.source_id WHERE o.book_id = :book AND o.current",
    "payments": "SELECT s.name, p.identity, k.value, p.order_number, p.paid_on, p.amount FROM payments p "
    "JOIN sources s ON s.id = p.source_id JOIN customer_keys k ON k.id = p.customer_key_id "
    "WHERE p.book_id = :book AND p.current",
    "spend": "SELECT month, channel, amount FROM spend WHERE book_id = :book AND current",
    "events": "SELECT begins_on, ends_on, label FROM events WHERE book_id = :book AND current",
}
_CUSTOMERS = """
SELECT GROUP_CONCAT(CONCAT(k.kind, ' ', k.value) ORDER BY k.kind, k.value SEPARATOR '|'), c.name, c.town, c.closed,
  c.do_not_contact, c.attributes
FROM customers c JOIN customer_keys k ON k.customer_id = c.id WHERE c.book_id = :book GROUP BY c.id
"""


_ORPHANS = """
SELECT COUNT(*) FROM customer_keys k LEFT JOIN customers c ON c.id = k.customer_id
WHERE k.book_id = :book AND c.id IS NULL
"""


def _attributes(workspace: Workspace, book: BookRow, connection: Connection) -> list[Any]:
    """Own attributes of orders: how they are shown, what their values are, and what each order has."""
    rows = own_rows(workspace.record, book.id)
    names = {row.column.slot: row.name for row in rows}
    query = (
        "SELECT o.id, s.name, o.order_number FROM orders o JOIN sources s ON s.id = o.source_id "
        "WHERE o.book_id = :book AND o.current"
    )
    orders = {row[0]: row[1:] for row in connection.execute(text(query), {"book": book.id})}
    own = own_values_of(workspace.record.engine, book.id, list(orders))
    of_orders = [(*orders[order], names[row.slot], row.value) for order, values in own.items() for row in values]
    columns = [(row.name, row.column.title, row.column.type.value, row.column.hidden) for row in rows]
    return [*sorted(map(str, columns)), *sorted(map(str, of_orders))]


def state_of(workspace: Workspace, book: BookRow) -> dict[str, list[Any]]:
    """Everything that is read of a book, sorted."""
    with workspace.record.engine.connect() as connection:
        values = {"book": book.id}
        found: dict[str, list[Any]] = {
            name: sorted(map(str, connection.execute(text(query), values))) for name, query in _QUERIES.items()
        }
        found["customers"] = sorted(
            (str(row[:5]), json.dumps(json.loads(row[5]), sort_keys=True))
            for row in connection.execute(text(_CUSTOMERS), values)
        )
        found["attributes"] = _attributes(workspace, book, connection)
        found["keys without a customer"] = [connection.execute(text(_ORPHANS), values).scalar_one()]
    return found
