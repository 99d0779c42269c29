"""What a record may hold: dates, amounts and their sums, held wherever something comes in."""

from __future__ import annotations

import hashlib
import json
import unittest
import zipfile
from decimal import Decimal
from pathlib import Path
from unittest import mock

import numpy as np

from goldthread.actions import books
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.actions.package import export_book, import_book
from goldthread.core import limits
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Span
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.newness.table import newness_table
from goldthread.errors import BookInvalid, TooLarge, UnreadableFile
from goldthread.store.write import orders_in
from tests.support import tiny
from tests.support.columns import columns
from tests.support.sharing import deliver
from tests.support.store import StoreCase


class AtIntake(StoreCase):
    def test_numbers_of_goods_in_the_column_of_amounts_are_rejected_one_by_one(self) -> None:
        rows = [(f"A-{at}", "C1", "2024-01-05", str(4_006_381_333_931 + at), "paid") for at in range(200)]
        report = deliver(
            self.workspace, self.book, self.write(*rows, ("B-1", "C1", "2024-01-05", "99999999999.99", "paid"))
        )
        self.assertEqual((report.rows_in, report.rows_rejected), (1, 200))
        self.assertIn("more than 11 digits", report.problems[0].reason)
        self.assertEqual(int(self.workspace.orders(self.book.id).orders.amount_minor.sum()), 999_999_999_999_900)

    def test_dates_are_held_in_the_zone_of_the_book(self) -> None:
        rows = (
            ("A-1", "C1", "1899-12-31T22:00:00-03:00", "1", "paid"),
            ("A-2", "C1", "1899-12-31T22:30:00+00:00", "1", "paid"),
            ("A-3", "C1", "2200-01-01T00:30:00+02:00", "1", "paid"),
            ("A-4", "C1", "0001-01-01T00:00:00+05:00", "1", "paid"),
        )
        report = deliver(self.workspace, self.book, self.write(*rows))
        self.assertEqual(
            {number: row[1] for number, row in self.orders().items()}, {"A-1": "1900-01-01", "A-3": "2199-12-31"}
        )
        self.assertEqual([problem.row for problem in report.problems], [3, 5])

    def test_a_book_holds_no_more_than_can_be_summed(self) -> None:
        with mock.patch.object(orders_in, "BOOK_AMOUNT_BELOW", Decimal(1000)):
            first = deliver(self.workspace, self.book, self.write(("A-1", "C1", "2024-01-05", "-600", "paid")))
            too_much = self.write(("A-2", "C1", "2024-01-05", "400", "paid"))
            for dry_run in (True, False):
                with self.subTest(dry_run=dry_run), self.assertRaisesRegex(TooLarge, "would add up to 1000 or more"):
                    deliver(self.workspace, self.book, too_much, dry_run=dry_run)
            self.assertEqual((set(self.orders()), self.revision()), ({"A-1"}, 1))
            # what was withdrawn makes room again, once the sum comes near the limit
            assert first.delivery_id is not None
            withdraw_delivery(self.workspace, self.book, first.delivery_id)
            self.assertEqual(deliver(self.workspace, self.book, too_much).added, 1)
            self.assertEqual(self.scalar("SELECT amount_bound FROM books WHERE id = :book"), 400)

    def test_a_book_that_comes_back_is_held_to_the_same(self) -> None:
        deliver(self.workspace, self.book, self.write(("A-1", "C1", "2024-01-05", "5", "paid")))
        package = self.folder / "book.zip"
        export_book(self.workspace, self.book, package, lambda *_progress: None)
        for was, becomes in ((b"2024-01-05", b"2201-01-05"), (b"5.0000", b"100000000000.0000")):
            with self.subTest(becomes=becomes), self.assertRaisesRegex(UnreadableFile, "outside the limits"):
                changed = _changed(package, self.folder / "changed.zip", was, becomes)
                import_book(self.workspace, changed, f"{self.book.name} {becomes!r}", lambda *_progress: None)
        self.assertNotIn(
            f"{self.book.name} ", [book.name[: len(self.book.name) + 1] for book in books.list_books(self.workspace)]
        )


def _changed(package: Path, target: Path, was: bytes, becomes: bytes) -> Path:
    """A package whose orders tell something else, and whose description agrees with them."""
    with zipfile.ZipFile(package) as source, zipfile.ZipFile(target, "w") as out:
        orders = source.read("orders.csv").replace(was, becomes)
        for name in source.namelist():
            content = source.read(name)
            if name == "orders.csv":
                content = orders
            elif name == "datapackage.json":
                told = json.loads(content)
                [described] = [each for each in told["resources"] if each["path"] == "orders.csv"]
                described["hash"] = f"sha256:{hashlib.sha256(orders).hexdigest()}"
                content = json.dumps(told).encode()
            out.writestr(name, content)
    return target


class InTheCore(unittest.TestCase):
    def test_a_book_whose_sums_would_not_be_exact_is_no_book(self) -> None:
        rows = [(0, 0, str(at), 0, 0) for at in range(4)]
        for amount, fits in ((10**18 - 10**6, True), (10**18, False), (-(10**18), False)):
            with self.subTest(amount=amount):
                if fits:
                    book = OrderBook.build(columns(rows, amount=amount), np.arange(1))
                    self.assertEqual(int(book.amount_minor.sum()), 4 * amount)
                else:
                    with self.assertRaisesRegex(BookInvalid, "cannot be summed"):
                        OrderBook.build(columns(rows, amount=amount), np.arange(1))

    def test_days_of_centuries_are_refused_before_they_are_counted(self) -> None:
        history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY + 40_000))
        with self.assertRaisesRegex(TooLarge, "Choose a longer period"):
            newness_table(history, Span.DAY)
        self.assertLessEqual(newness_table(history, Span.WEEK).state.size, limits.PERIODS_MOST)


if __name__ == "__main__":
    unittest.main()
