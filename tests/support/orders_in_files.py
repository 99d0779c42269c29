"""Orders in Parquet files, and books that are made of them."""

from __future__ import annotations

import datetime as dt
import os
import random
import tempfile
import unittest
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import parquet

from goldthread.actions.inspecting import NOTHING_GIVEN
from goldthread.actions.refreshing import begin_from_files
from goldthread.core.book.texts import TextColumn
from goldthread.core.records import FileKind, unreported
from goldthread.store.books import BookRow
from goldthread.store.write.delivery import DeliveryReport
from tests.support.sharing import deliver, new_book, shared_workspace, write_csv

HEADER = ("order", "customer_no", "date", "time", "amount", "status", "rep", "name", "email", "channel")
Row = Sequence[Any]


def rows_of(seed: int, first: int, count: int, customers: Sequence[int]) -> list[list[Any]]:
    """Random orders with numbers from ``first`` on."""
    draw, rows = random.Random(seed), []
    for number in range(first, first + count):
        who = draw.choice(customers)
        day = dt.date(2025, 1, 1) + dt.timedelta(draw.randrange(400))
        time = "" if draw.random() < 0.5 else f"{draw.randrange(24):02}:15:30"
        amount = f"{draw.randrange(-500, 9_000) / 100:.2f}"
        status, rep = draw.choice(("paid", "open", "cancelled")), draw.choice(("", "Mo", "Ann"))
        name, email = f"Customer {who:02}", f"c{who}@studio.example" if who % 3 else ""
        rows.append([f"F-{number}", f"K{who}", day.isoformat(), time, amount, status, rep, name, email, ""])
    return rows


class FilesCase(unittest.TestCase):
    def setUp(self) -> None:
        self.workspace = shared_workspace()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "orders"
        self.folder.mkdir()
        self.files = {
            "channel=fairs/a.parquet": rows_of(1, 1, 60, range(12)),
            "channel=post/b.parquet": rows_of(2, 61, 50, range(6, 18)),
            "channel=post/c.parquet": rows_of(3, 111, 40, range(15, 24)),
        }
        for name, rows in self.files.items():
            self.write(name, rows)

    def write(self, name: str, rows: Sequence[Row], tag: int = 0) -> None:
        """A file; what its folder says is no column of it."""
        target = self.folder / name
        target.parent.mkdir(exist_ok=True)
        plain = HEADER if "channel=" not in name else HEADER[:-1]
        columns = {key: [row[place] for row in rows] for place, key in enumerate(plain[: len(rows[0])])}
        parquet.write_table(pa.table(columns), target, row_group_size=25)
        os.utime(target, ns=(tag or 10**18, tag or 10**18))

    def begin(self, address: str = "") -> tuple[BookRow, DeliveryReport]:
        name, address = f"files {uuid.uuid4().hex[:10]}", address or f"parquet:{self.folder}"
        return begin_from_files(
            self.workspace, name, "EUR", "Europe/Lisbon", address, "shop", NOTHING_GIVEN, unreported
        )

    def delivered(self) -> BookRow:
        """The same orders, delivered."""
        book = new_book(self.workspace)
        every = [
            [*row[:-1], name.split("/")[0].removeprefix("channel=")]
            for name, rows in self.files.items()
            for row in rows
        ]
        path = write_csv(self.folder.parent / "all.csv", [HEADER, *every])
        deliver(self.workspace, book, path, "shop", FileKind.ORDERS)
        return book

    def assert_same(self, book: BookRow, other: BookRow) -> None:
        one, two = (self.workspace.orders(each.id).orders for each in (book, other))
        for name in ("starts", "day", "amount_minor", "number_key"):
            np.testing.assert_array_equal(getattr(one, name), getattr(two, name), name)
        for mine, theirs in ((one.attributes, two.attributes), (one.customers.attributes, two.customers.attributes)):
            for name, attribute in mine.items():
                self.assertEqual(attribute.labels, theirs[name].labels)
                np.testing.assert_array_equal(attribute.codes, theirs[name].codes)
        for name, column in one.customers.texts.items():
            self.assertEqual(
                column.some(np.arange(column.count)), two.customers.texts[name].some(np.arange(column.count))
            )


def texts(column: TextColumn) -> list[str]:
    """All of a column."""
    return column.some(np.arange(column.count))
