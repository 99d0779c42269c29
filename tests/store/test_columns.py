"""What is read back of customers, names, keys, attributes, payments, categories; and a book that is watched."""

from __future__ import annotations

import random
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow as pa

from goldthread.actions.by_hand import OrderByHand, put_order
from goldthread.actions.watching import Seen, Watch
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.ordering import natural_key
from goldthread.errors import Unavailable
from goldthread.store.read import orders_out
from goldthread.store.read.orders_out import number_key, order_numbers
from goldthread.store.server.bulk import Record, read
from goldthread.store.snapshot import open_snapshot
from goldthread.workspace import Workspace
from tests.support import tiny
from tests.support.sharing import RAW_TINY, deliver, tiny_book
from tests.support.store import StoreCase


class Columns(StoreCase):
    def test_the_numbers_of_a_few_orders_are_read_alone(self) -> None:
        rows = [(f"A-{at}", "C1", "2024-01-05", "1", "paid") for at in range(3_000)]
        deliver(self.workspace, self.book, self.write(*rows))
        book, read_rows = self.workspace.orders(self.book.id).orders, list[int]()
        number_of = dict(zip(book.order_id.tolist(), (f"A-{at}" for at in range(3_000)), strict=True))

        def counted(record: Record, query: str) -> pa.Table:
            table = read(record, query)
            read_rows.append(table.num_rows)
            return table

        few = book.order_id[[2_999, 7, 1_500, 7, 3]]
        with mock.patch.object(orders_out, "read", counted):
            found = order_numbers(self.workspace.record, self.book.id, few).to_pylist()
            self.assertEqual((found, read_rows), ([number_of[each] for each in few.tolist()], [4]))
            with mock.patch.object(orders_out, "_IDS_AT_ONCE", 3):
                self.assertEqual(order_numbers(self.workspace.record, self.book.id, few).to_pylist(), found)
            many = order_numbers(self.workspace.record, self.book.id, book.order_id[::3]).to_pylist()
        self.assertEqual(many, [number_of[each] for each in book.order_id[::3].tolist()])
        self.assertEqual(read_rows[1:], [3, 1, int(book.order_id[::3].max() - book.order_id.min()) + 1])

    def load(self) -> OrderBook:
        for source, name in (*RAW_TINY, ("office", "payments.csv")):
            deliver(self.workspace, self.book, tiny.FOLDER / name, source)
        return self.workspace.orders(self.book.id).orders

    def test_what_is_known_of_customers_is_read_back_and_survives_the_snapshot(self) -> None:
        whole = self.load()
        at = self.workspace.orders(self.book.id).at
        again = open_snapshot(self.workspace.settings.snapshots, self.book.id, at)
        assert again is not None
        for book in (whole, again):
            about = book.customers
            rows = {about.texts["number"].at(row): row for row in range(book.customer_count)}
            ada = rows["C01"]
            self.assertEqual((about.name(ada), about.key(ada)), ("Ada O'Fallon", "C01"))
            self.assertIn("\tada ofallon\tc01\t", about.found_by.at(ada))
            region = about.attributes["region"]
            self.assertEqual(region.labels[region.codes[rows["C02"]]], "Hills")
            paid = book.payments.total_minor(book.customer_count)
            self.assertEqual(int(paid[rows["C05"]]), 5_000_000)
            category = book.attributes["category"]
            told = {category.labels[code] for code in category.codes.tolist()}
            self.assertIn("", told)
            self.assertGreater(len(told), 1)

    def test_number_keys_ascend_as_the_numbers_do_in_natural_order(self) -> None:
        book = self.load()
        with self.workspace.record.engine.connect() as connection:
            found = connection.exec_driver_sql(f"SELECT id, order_number FROM orders WHERE book_id = {self.book.id}")
            numbers = {int(row[0]): str(row[1]) for row in found}
        told = [numbers[order] for order in book.order_id.tolist()]
        by_key = [told[place] for place in np.argsort(book.number_key, kind="stable")]
        self.assertEqual(by_key, sorted(told, key=natural_key))

    def test_odd_numbers_find_their_place_among_the_common_ones(self) -> None:
        draw = random.Random(3)
        begins, middles = ("A-", "B", "", "x1-", "é-", "٣"), ("007", "7", "12", "1" * 21, "9" * 18, "3b", "", "0", "00")
        for _ in range(60):
            told = [
                draw.choice(begins) + draw.choice(middles) + draw.choice(("", "", "-2", "z"))
                for _ in range(draw.randrange(1, 30))
            ]
            keys = number_key(pa.chunked_array([pa.array(told, pa.string())])).tolist()
            natural = [natural_key(number) for number in told]
            for one, key in zip(natural, keys, strict=True):
                self.assertEqual([key < other for other in keys], [one < other for other in natural], told)

    def test_the_category_is_the_one_with_the_largest_amount(self) -> None:
        book = self.load()
        with self.workspace.record.engine.connect() as connection:
            lines = connection.exec_driver_sql(
                f"SELECT order_id, category, SUM(amount) FROM order_lines WHERE book_id = {self.book.id} "
                "AND category <> '' GROUP BY order_id, category"
            ).all()
        category = book.attributes["category"]
        for order, code in zip(book.order_id.tolist(), category.codes.tolist(), strict=True):
            mine = [(-amount, name) for of, name, amount in lines if of == order]
            self.assertEqual(category.labels[code], min(mine)[1] if mine else "")

    def test_a_category_that_only_an_earlier_version_of_an_order_has_is_not_offered(self) -> None:
        header = ("order", "line", "customer_no", "date", "product", "category", "amount")
        for category in ("clay", "glaze"):
            rows = [(f"A-{at}", line, "C1", "2024-01-05", "x", category, "2") for at in (1, 2) for line in (1, 2)]
            deliver(self.workspace, self.book, self.write(*rows, header=header))
        self.assertEqual(self.workspace.orders(self.book.id).orders.attributes["category"].labels, ("glaze", ""))

    def test_lines_are_read_when_first_asked_for_then_kept_on_disk_and_read_anew_when_damaged(self) -> None:
        book = self.load()
        kept = Path(self.workspace.settings.snapshots)
        self.assertEqual(list(kept.glob(f"{self.book.id}-*/lines")), [], "nothing is read before somebody asks")
        with self.workspace.record.engine.connect() as connection:
            wanted = connection.exec_driver_sql(
                "SELECT l.order_id, l.product, l.category, CAST(l.amount * 10000 AS SIGNED) FROM order_lines l "
                f"JOIN orders o ON o.id = l.order_id AND o.book_id = l.book_id WHERE l.book_id = {self.book.id} "
                "AND o.current"
            ).all()
        lines = sorted(map(tuple, wanted))
        self.assertEqual(self.told(book), lines)
        (folder,) = kept.glob(f"{self.book.id}-*/lines")
        with mock.patch("goldthread.store.read.lines_out.read", side_effect=AssertionError("read from the database")):
            self.assertEqual(self.told(self.opened_anew()), lines)
        column = folder / "product.npy"
        column.write_bytes(column.read_bytes()[:-4] + b"\xff" * 4)
        with (
            self.assertRaises(AssertionError),
            mock.patch("goldthread.store.read.lines_out.read", side_effect=AssertionError("read from the database")),
        ):
            self.told(self.opened_anew())
        self.assertEqual(self.told(self.opened_anew()), lines)

    def opened_anew(self) -> OrderBook:
        """The book as another process finds it."""
        return Workspace(self.workspace.settings, self.workspace.record).orders(self.book.id).orders

    def told(self, book: OrderBook) -> list[tuple[int, str, str, int]]:
        lines = book.order_lines()
        columns = (
            book.order_id.take(lines.order).tolist(),
            [lines.product.labels[code] for code in lines.product.codes.tolist()],
            [lines.category.labels[code] for code in lines.category.codes.tolist()],
            lines.amount_minor.tolist(),
        )
        return sorted(zip(*columns, strict=True))


class Watching(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        self.book = tiny_book(self.workspace, self.folder)

    def test_every_change_of_a_book_is_told_once(self) -> None:
        watch = Watch(self.workspace)
        streams = [watch.follow(self.book.id) for _ in range(3)]
        [known, *_] = [next(stream) for stream in streams]
        assert known is not None
        put_order(self.workspace, self.book, OrderByHand("counter", "K77", "C01", "2025-08-30", "5"))
        for stream in streams:
            told: list[Seen] = []
            while not told or told[-1].reading:
                told += [seen for seen in [next(stream)] if seen is not None]
            self.assertEqual({seen.revision for seen in told}, {known.revision + 1})
            stream.close()  # type: ignore[attr-defined]
        # it was brought forward before anybody asked for it
        at = self.workspace.orders(self.book.id).at
        self.assertTrue(self.workspace.has_at_hand(self.book.id, at))

    def test_a_book_that_cannot_be_brought_forward_is_not_said_to_be_on_its_way_for_ever(self) -> None:
        stream = Watch(self.workspace).follow(self.book.id)
        next(stream)
        gone = Unavailable("The database does not answer.", remedy="Start it.")
        with mock.patch.object(self.workspace, "orders", side_effect=gone), self.assertLogs(level="INFO"):
            put_order(self.workspace, self.book, OrderByHand("counter", "K78", "C01", "2025-08-30", "5"))
            told: list[Seen] = []
            while not told or told[-1].reading:
                told += [seen for seen in [next(stream)] if seen is not None]
        self.assertFalse(told[-1].reading)
        stream.close()  # type: ignore[attr-defined]


if __name__ == "__main__":
    unittest.main()
