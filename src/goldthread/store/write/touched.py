"""Whom a change of a book touches: the customers, as they were before it and as they are after it.

Their threads, names, keys and payments are all that a book of the revision before has to read again.
"""

from __future__ import annotations

import numpy as np
from sqlalchemy import Connection, text

from goldthread.core.records import FileKind
from goldthread.store.schema.models import TOUCHED_MOST
from goldthread.store.write.staged_entries import ENTRIES

_FEW, _SHARE = 1_000, 8
"""A change of more rows, and of more than one order in so many, is not followed: the book is read anew."""
_TABLE = (
    "CREATE TEMPORARY TABLE touched_customers (customer_id BIGINT NOT NULL PRIMARY KEY) ENGINE=Aria TRANSACTIONAL=0"
)
_NAMED = """
SELECT k.customer_id FROM named n
JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind AND k.value = n.customer
"""
_OF_VERSIONS = """
SELECT DISTINCT k.customer_id FROM {these} s STRAIGHT_JOIN {table} o ON o.{scope} AND o.{name} = s.{name}
JOIN customer_keys k ON k.id = o.customer_key_id
"""
_PUT = "(SELECT order_number FROM orders WHERE book_id = :book AND id BETWEEN :low AND :high)"
_SETTLED = ("SELECT customer_id FROM owners", "SELECT root FROM resolved")


class Touched:
    """The customers that a transaction touches, gathered in the database."""

    def __init__(self, connection: Connection, rows: int, next_order_id: int) -> None:
        """``rows`` of the change, and how many orders the book was ever given: too many are not followed."""
        self._connection = connection
        self._is_followed = rows <= max(_FEW, next_order_id // _SHARE)
        if self._is_followed:
            connection.execute(text(_TABLE))

    def named(self, values: dict[str, object]) -> None:
        """Those whom the staged rows name: the table ``named``."""
        self._add(_NAMED, values)

    def of_orders(self, values: dict[str, object], these: str = _PUT) -> None:
        """Those to whom any version of some orders of a source belongs; by default of those of a delivery."""
        self._add(
            _OF_VERSIONS.format(these=these, table="orders", scope="source_id = :source", name="order_number"), values
        )

    def of_payments(self, values: dict[str, object], these: str) -> None:
        """Those to whom any version of some payments belongs."""
        table = ENTRIES[FileKind.PAYMENTS]
        self._add(_OF_VERSIONS.format(these=these, table=table.name, scope=table.scope, name="identity"), values)

    def settled(self) -> None:
        """Those whose keys and fields were worked out anew (`goldthread.store.write.identity`)."""
        for query in _SETTLED:
            self._add(query, {})

    def _add(self, query: str, values: dict[str, object]) -> None:
        if self._is_followed:
            self._connection.execute(text(f"INSERT IGNORE INTO touched_customers {query}"), values)

    def ids(self) -> bytes | None:
        """Their ids as the record keeps them; None where the book is to be read anew."""
        if not self._is_followed:
            return None
        wanted = text("SELECT customer_id FROM touched_customers ORDER BY customer_id LIMIT :most")
        found = self._connection.execute(wanted, {"most": TOUCHED_MOST + 1}).scalars().all()
        return np.array(found, "<i8").tobytes() if len(found) <= TOUCHED_MOST else None
