"""All that is on record of one customer: for whoever asks what is kept of them (GDPR, article 15)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from sqlalchemy import Connection, Engine, text

from goldthread.errors import NotFound

_KEYS = "SELECT id FROM customer_keys WHERE book_id = :book AND customer_id = :customer"
_TABLES: Mapping[str, str] = {
    "known_as": "SELECT kind, value FROM customer_keys WHERE book_id = :book AND customer_id = :customer ORDER BY id",
    "customer": "SELECT name, town, closed, do_not_contact, attributes FROM customers WHERE id = :customer",
    "records": "SELECT d.file_name, d.delivered_at, r.file_row, r.name, r.town, r.closed, r.do_not_contact, "
    "r.attributes FROM customer_records r JOIN deliveries d ON d.id = r.delivery_id WHERE r.book_id = :book "
    f"AND (r.key_id IN ({_KEYS}) OR r.email_key_id IN ({_KEYS})) ORDER BY r.delivery_id, r.file_row",
    "orders": "SELECT o.id, s.name AS source, o.order_number, o.ordered_on, o.ordered_at, o.amount, o.status, o.rep, "
    "o.channel, o.current, d.file_name, d.delivered_at FROM orders o JOIN sources s ON s.id = o.source_id "
    f"JOIN deliveries d ON d.id = o.delivery_id WHERE o.book_id = :book AND o.customer_key_id IN ({_KEYS}) "
    "ORDER BY o.ordered_on, o.id",
    "order_lines": "SELECT o.order_number, l.line_number, l.product, l.category, l.quantity, l.amount FROM orders o "
    "JOIN order_lines l ON l.book_id = o.book_id AND l.order_id = o.id WHERE o.book_id = :book "
    f"AND o.customer_key_id IN ({_KEYS}) ORDER BY o.ordered_on, o.id, l.sequence",
    "payments": "SELECT reference, order_number, paid_on, amount, current FROM payments WHERE book_id = :book "
    f"AND customer_key_id IN ({_KEYS}) ORDER BY paid_on, id",
    "matches": f"SELECT verdict, key_id, other_key_id FROM matches WHERE book_id = :book AND (key_id IN ({_KEYS}) "
    f"OR other_key_id IN ({_KEYS}))",
    "work_on_lists": "SELECT l.name AS list, c.field, c.value, c.made_by, c.made_at FROM list_changes c "
    f"JOIN customer_lists l ON l.id = c.list_id WHERE l.book_id = :book AND c.customer_id IN ({_KEYS}) "
    "ORDER BY c.list_id, c.number",
    "mails": "SELECT l.name AS list, m.email, m.state, m.sent_by, m.attempted_at FROM list_mails m "
    f"JOIN customer_lists l ON l.id = m.list_id WHERE l.book_id = :book AND m.customer_id IN ({_KEYS})",
    "notes": "SELECT text, made_by, made_at, edited_at FROM notes WHERE book_id = :book "
    f"AND customer_key_id IN ({_KEYS}) ORDER BY id",
}
_OWN = f"""
SELECT o.order_number, a.title, v.value FROM orders o
JOIN own_codes c ON c.book_id = o.book_id AND c.order_id = o.id
JOIN own_attributes a ON a.book_id = o.book_id
JOIN own_values v ON v.book_id = o.book_id AND v.delivery_id = o.delivery_id AND v.slot = a.slot AND v.code = {{code}}
WHERE o.book_id = :book AND a.slot = {{slot}} AND o.customer_key_id IN ({_KEYS})
"""


def all_of_person(engine: Engine, book_id: int, customer_id: int) -> dict[str, list[dict[str, Any]]]:
    """Everything on record of a customer, by what it is; each a list of rows as they could be written as JSON. Raises
    `NotFound`."""
    values = {"book": book_id, "customer": customer_id}
    with engine.connect() as connection:
        found = {name: _rows(connection, query, values) for name, query in _TABLES.items()}
        slots = text("SELECT slot FROM own_attributes WHERE book_id = :book ORDER BY slot")
        found["attributes_of_orders"] = [
            row
            for slot in connection.execute(slots, values).scalars().all()
            for row in _rows(connection, _OWN.format(slot=int(slot), code=f"c.own_{int(slot)}"), values)
        ]
    if not found["known_as"]:
        raise NotFound("There is no such customer in this book.", remedy="Find the customer by name.")
    return found


def _rows(connection: Connection, query: str, values: Mapping[str, Any]) -> list[dict[str, Any]]:
    rows = connection.execute(text(query), values)
    return [{name: _plain(value) for name, value in row._mapping.items()} for row in rows]


def _plain(value: Any) -> Any:
    match value:
        case Decimal():
            return f"{value:f}"
        case dt.datetime() | dt.date():
            return value.isoformat()
        case dt.timedelta():
            return str(value)
        case _:
            return value
