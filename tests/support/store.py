"""A book of its own in the shared record, and what it holds."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any

from sqlalchemy import text

from goldthread.actions import books
from tests.support.sharing import new_book, shared_workspace, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status")


class StoreCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.workspace = shared_workspace()
        self.book = new_book(self.workspace)

    def write(self, *rows: tuple[object, ...], header: tuple[str, ...] = HEADER) -> Path:
        return write_csv(self.folder / "file.csv", [header, *rows])

    def orders(self) -> dict[str, tuple[str, str, str]]:
        """Current orders of the book by number: key, date, amount."""
        query = (
            "SELECT o.order_number, k.value, o.ordered_on, o.amount FROM orders o "
            "JOIN customer_keys k ON k.id = o.customer_key_id WHERE o.book_id = :book AND o.current"
        )
        with self.workspace.record.engine.connect() as connection:
            rows = connection.execute(text(query), {"book": self.book.id})
            return {row[0]: (row[1], row[2].isoformat(), f"{row[3]:f}") for row in rows}

    def scalar(self, query: str) -> Any:
        with self.workspace.record.engine.connect() as connection:
            return connection.execute(text(query), {"book": self.book.id}).scalar()

    def revision(self) -> int:
        return books.find_book(self.workspace, self.book.id).revision
