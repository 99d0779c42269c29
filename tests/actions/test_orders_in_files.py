"""Books whose orders stay in Parquet files: the same as if they had been delivered, and brought up to their files."""

from __future__ import annotations

import unittest
import uuid
from collections.abc import Sequence
from typing import Any
from unittest import mock

import numpy as np
import pyarrow as pa
from pyarrow import parquet

from goldthread.actions import books, by_hand, package, persons
from goldthread.actions.by_hand import OrderByHand
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.actions.refreshing import refresh_book
from goldthread.api.app import create_app
from goldthread.core.records import FileKind, unreported
from goldthread.errors import Conflict, InvalidInput, Outdated, TooLarge, Unavailable, UnreadableFile
from goldthread.stops.checking import check_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store import dataset_files
from goldthread.store.books import BookRow, list_deliveries
from goldthread.store.dataset_files import Files
from goldthread.store.orders_in_files import opened
from tests.support.cli import CliCase
from tests.support.orders_in_files import HEADER, FilesCase, Row, rows_of, texts
from tests.support.sharing import deliver, write_csv

_CHANGED = "channel=post/b.parquet"


class OrdersInFiles(FilesCase):
    def test_such_a_book_is_that_of_the_delivered_orders(self) -> None:
        book, report = self.begin()
        self.assertEqual((report.rows_read, report.rows_in, report.rows_rejected), (150, 150, 0))
        other = self.delivered()
        self.assert_same(book, other)
        client = create_app(self.workspace).test_client()

        def asked(of: BookRow, path: str) -> Any:
            with client.get(f"/api/books/{of.id}/ask/{path}") as found:
                self.assertEqual(found.status_code, 200, found.data[:300])
                return without_ids(found.json if found.is_json else found.data)

        every = "status=paid&status=open&status=cancelled"
        for path in (
            "orders",
            "nth",
            "figures",
            "cohorts",
            "cohorts/behind?cohort=all&age=0",
            "orders/file",
            "newness",
        ):
            with self.subTest(path=path):
                mark = "&" if "?" in path else "?"
                mine, theirs = (asked(each, f"{path}{mark}{every}") for each in (book, other))
                self.assertEqual(mine, theirs)
        recount = asked(book, "cohorts/recount?cohort=all&age=0")
        self.assertEqual((recount["agrees"], recount["reason"]), (True, ""))
        found = check_book(self.workspace, book, ReadingLine(), books.today_of(book), unreported)
        self.assertTrue(found and all(each.holds for each in found))

    def test_a_refresh_reads_what_is_new_or_changed_and_orders_of_gone_files_are_gone(self) -> None:
        book, _ = self.begin()
        again = refresh_book(self.workspace, book, unreported)
        self.assertIsNotNone(again.earlier_delivery_id)
        self.files["channel=fairs/d.parquet"] = rows_of(4, 151, 30, range(30, 34))
        self.files["channel=post/b.parquet"] = rows_of(5, 61, 55, range(6, 18))
        for name in ("channel=fairs/d.parquet", "channel=post/b.parquet"):
            self.write(name, self.files[name], 2 * 10**18)
        (self.folder / "channel=post/c.parquet").unlink()
        del self.files["channel=post/c.parquet"]
        report = refresh_book(self.workspace, book, unreported)
        self.assertEqual(report.rows_read, 85, "files that are as they were are not read")
        log = list_deliveries(self.workspace.record.engine, book.id)
        self.assertIn("3 files (1 new, 1 changed, 1 gone) in parquet:", log[0].file_name)
        was, now = ({row[0]: row for row in rows} for rows in (rows_of(2, 61, 50, range(6, 18)), self.files[_CHANGED]))
        same = sum(was.get(number) == row for number, row in now.items())
        self.assertEqual(
            (report.added, report.changed, report.same), (30, 55 - same, same), "five were in the file that is gone"
        )
        self.assert_same(book, self.delivered())

    def test_the_files_of_before_can_be_gone_back_to_while_they_are_there(self) -> None:
        book, _ = self.begin()
        with self.assertRaisesRegex(Conflict, "no refresh before"):
            refresh_book(self.workspace, book, unreported, as_before=True)
        before = self.delivered()
        self.write("channel=post/e.parquet", rows_of(6, 300, 20, range(5)))
        refresh_book(self.workspace, book, unreported)
        self.assertGreater(self.workspace.orders(book.id).orders.order_count, 150)
        refresh_book(self.workspace, book, unreported, as_before=True)
        self.assert_same(book, before)

    def test_a_refresh_is_not_withdrawn_like_a_delivery(self) -> None:
        book, _ = self.begin()
        for name in self.files:
            (self.folder / name).unlink()
        refresh_book(self.workspace, book, unreported)
        held = books.summarise(self.workspace, book)
        assert held.in_files is not None
        self.assertEqual((held.orders, held.in_files.files, held.in_files.files_before), (0, 0, 3))
        for each in list_deliveries(self.workspace.record.engine, book.id):
            with self.assertRaisesRegex(Conflict, "files of before"):
                withdraw_delivery(self.workspace, book, each.id, unreported)

    def test_of_a_number_that_comes_again_the_later_file_counts(self) -> None:
        rows = [list(row) for row in self.files["channel=fairs/a.parquet"][:5]]
        for row in rows:
            row[4] = "77.00"
        self.write("channel=fairs/z.parquet", rows)
        book, _ = self.begin()
        orders = self.workspace.orders(book.id).orders
        self.assertEqual(orders.order_count, 150)
        self.assertEqual(int((orders.amount_minor == 770_000).sum()), 5)

    def test_orders_come_from_the_files_alone(self) -> None:
        book, _ = self.begin()
        path = write_csv(self.folder.parent / "more.csv", [HEADER, *rows_of(7, 900, 3, range(4))])
        with self.assertRaisesRegex(Conflict, "stay in files"):
            deliver(self.workspace, book, path, "shop", FileKind.ORDERS)
        with self.assertRaisesRegex(Conflict, "stay in files"):
            by_hand.put_order(self.workspace, book, OrderByHand("shop", "H-1", "K1", "2025-03-01", "10.00"))
        with self.assertRaisesRegex(Conflict, "in no package"):
            package.export_book(self.workspace, book, self.folder / "book.zip", unreported)
        with self.assertRaisesRegex(Conflict, "are on record"):
            refresh_book(self.workspace, self.delivered(), unreported)

    def test_customers_of_other_files_are_there_and_those_of_gone_ones_alone_are_not(self) -> None:
        book, _ = self.begin()
        told = [("customer_no", "name", "town"), ("K22", "Customer 22", "Quarry"), ("K90", "Customer 90", "Quarry")]
        deliver(self.workspace, book, write_csv(self.folder.parent / "people.csv", told), "people", FileKind.CUSTOMERS)
        self.assertEqual(self.customers(book)[-2:], ["Customer 23", "Customer 90"])
        (self.folder / "channel=post/c.parquet").unlink()
        refresh_book(self.workspace, book, unreported)
        self.assertEqual(self.customers(book)[-3:], ["Customer 17", "Customer 22", "Customer 90"])

    def customers(self, book: BookRow) -> list[str]:
        return texts(self.workspace.orders(book.id).orders.customers.texts["name"])

    def test_orders_of_somebody_who_was_erased_stay_without_a_name(self) -> None:
        book, _ = self.begin()
        before = self.workspace.orders(book.id).orders
        place = self.customers(book).index("Customer 07")
        persons.erase_person(self.workspace, book, int(before.customer_id[place]))
        for each in self.workspace.settings.files_of(book.id).glob("*.arrow"):
            table = opened(each)
            assert table is not None
            self.assertNotIn("K7", table.column("customer").unique().to_pylist(), "nobody who was erased is kept")
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, before.order_count)
        self.write("channel=post/f.parquet", rows_of(8, 400, 6, [7]))
        refresh_book(self.workspace, book, unreported)
        after = self.workspace.orders(book.id).orders
        self.assertEqual(after.order_count, before.order_count + 6)
        self.assertNotIn("Customer 07", self.customers(book))
        self.assertFalse(
            any(text == "K7" for text in after.customers.texts["number"].some(np.arange(after.customer_count)))
        )

    def test_rows_that_cannot_be_are_counted_and_too_many_of_them_change_nothing(self) -> None:
        bad = [list(row) for row in rows_of(9, 500, 40, range(6))]
        bad[3][2], bad[9][4] = "soon", "dear"
        self.write("channel=post/g.parquet", bad)
        book, report = self.begin()
        self.assertEqual((report.rows_rejected, report.held_back), (2, False))
        self.assertEqual({problem.row for problem in report.problems}, {5, 11})
        self.assertTrue(all("channel=post/g.parquet" in problem.reason for problem in report.problems))
        more = rows_of(10, 600, 40, range(40, 46))
        for row in more[:30]:
            row[2] = "soon"
        self.write("channel=post/h.parquet", more)
        count = self.workspace.orders(book.id).orders.order_count
        held = refresh_book(self.workspace, book, unreported)
        self.assertEqual((held.held_back, held.rows_rejected), (True, 30))
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, count)
        taken = refresh_book(self.workspace, book, unreported, accept_rejected=True)
        self.assertEqual(taken.rows_rejected, 30)
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, count + 10, "of customers who are new")
        self.write("channel=post/i.parquet", [row[:4] for row in more])
        with self.assertRaisesRegex(UnreadableFile, "i.parquet is not like the first file"):
            refresh_book(self.workspace, book, unreported)

    def test_what_is_kept_of_files_is_made_again_and_old_orders_are_said_to_be_outdated(self) -> None:
        book, _ = self.begin()
        known = self.workspace.orders(book.id).orders.order_id[:3]
        folder = self.workspace.settings.files_of(book.id)
        for each in folder.glob("*.arrow"):
            each.unlink()
        self.workspace.let_go()
        self.workspace._in_files.clear()
        with self.assertRaisesRegex(Unavailable, "read once more"):
            self.workspace.order_numbers(book.id, known)
        refresh_book(self.workspace, book, unreported)
        found = self.workspace.orders(book.id).orders
        numbers = self.workspace.order_numbers(book.id, found.order_id).to_pylist()
        self.assertEqual(len(set(numbers)), 150)
        with self.assertRaises(Outdated):
            self.workspace.order_numbers(book.id, found.order_id[:1] + 10_000)

    def test_what_is_no_dataset_is_said(self) -> None:
        empty = self.folder.parent / "empty"
        empty.mkdir()
        for address, error, words in (
            ("/data/orders", InvalidInput, "does not say where"),
            ("csv:/data", InvalidInput, "does not say where"),
            (f"parquet:{empty}", InvalidInput, "no Parquet files"),
            (f"parquet:{empty}/not", Unavailable, "cannot be reached"),
            ("parquet:nowhere://x", InvalidInput, "cannot be reached"),
        ):
            with self.subTest(address), self.assertRaisesRegex(error, words):
                self.begin(address)
        (self.folder / "channel=post/0.parquet").write_bytes(b"no parquet")
        with self.assertRaisesRegex(UnreadableFile, "cannot be read"):
            self.begin()
        with mock.patch.object(dataset_files, "FILES_MOST", 2), self.assertRaisesRegex(TooLarge, "4 files"):
            Files.at(f"parquet:{self.folder}").listed()

    def test_one_file_and_an_address_of_a_file_system_will_do(self) -> None:
        self.write("one.parquet", rows_of(1, 1, 20, range(9)))
        for address in (f"parquet:{self.folder}/one.parquet", f"parquet:file://{self.folder}/one.parquet"):
            _, report = self.begin(address)
            self.assertEqual(report.rows_in, 20)


_COUNTED = ("customer", "id", "revision", "book")


def without_ids(value: Any) -> Any:
    """A reply without what is counted in the record: ids of customers and orders, revisions, books."""
    if isinstance(value, dict):
        return {
            key: without_ids(each) for key, each in value.items() if key not in ("customer", "id", "revision", "book")
        }
    return [without_ids(each) for each in value] if isinstance(value, list) else value


class Commands(CliCase):
    def test_a_book_is_begun_from_files_and_refreshed(self) -> None:
        orders = self.folder / "orders"
        orders.mkdir()

        def write(name: str, rows: Sequence[Row]) -> None:
            columns = {key: [row[place] for row in rows] for place, key in enumerate(HEADER)}
            parquet.write_table(pa.table(columns), orders / name)

        write("a.parquet", [[*row[:5], "settled up", *row[6:]] for row in rows_of(1, 1, 200, range(9))])
        name = f"files {uuid.uuid4().hex[:10]}"
        began = ("book", "add", name, "--currency", "EUR", "--time-zone", "UTC", "--orders-in", f"parquet:{orders}")
        self.assertIn("settled up", self.run_(*began, code=1).output)
        told = self.run_(*began, "--status", "settled up=paid", "--column", "rep=").output
        self.assertIn("200 rows read: 200 in, 0 rejected.", told)
        self.assertIn("Nothing has changed", self.run_("book", "refresh", name).output)
        bad = rows_of(2, 300, 60, range(9))
        bad[0][2] = "soon"
        write("b.parquet", [[*row[:5], "settled up", *row[6:]] for row in bad])
        self.assertIn("1 rejected", self.run_("book", "refresh", name, code=3).output)
        self.assertIn("up to its files", self.run_("book", "refresh", name, "--as-before").output)


if __name__ == "__main__":
    unittest.main()
