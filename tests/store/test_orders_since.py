"""A book brought forward by what was put in by hand is the book that is read anew."""

from __future__ import annotations

import datetime as dt
import random
import unittest
from collections.abc import Callable
from unittest import mock

from goldthread import workspace as shelves
from goldthread.actions.by_hand import CustomerByHand, OrderByHand, cancel_order, put_customer, put_order
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook
from goldthread.core.records import OrderStatus
from goldthread.store.read.orders_out import load_book
from goldthread.store.read.orders_since import book_since
from tests.support.sharing import RAW_TINY, deliver
from tests.support.store import StoreCase
from tests.support.tiny import FOLDER


def told(attribute: Attribute) -> list[str]:
    return [attribute.labels[code] for code in attribute.codes.tolist()]


class BroughtForward(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        for source, name in RAW_TINY:
            deliver(self.workspace, self.book, FOLDER / name, source)

    def assert_same(self, one: OrderBook, other: OrderBook) -> None:
        for name in ("starts", "day", "amount_minor", "order_id", "customer_id"):
            self.assertEqual(getattr(one, name).tolist(), getattr(other, name).tolist(), name)
        for name in one.attributes:
            self.assertEqual(told(one.attributes[name]), told(other.attributes[name]), name)
        for customer in range(one.customer_count):
            mine = slice(int(one.starts[customer]), int(one.starts[customer + 1]))
            order = [
                sorted(range(mine.stop - mine.start), key=b.number_key[mine].tolist().__getitem__) for b in (one, other)
            ]
            self.assertEqual(order[0], order[1])

    def change(self, draw: random.Random) -> None:
        numbers = ("K0001", "K0006", "W-9", "704", "N-1", "N-12", "N-3")
        source, number = draw.choice(("counter", "web", "phone")), draw.choice(numbers)
        if draw.random() < 0.2 and number.startswith("K"):
            cancel_order(self.workspace, self.book, "counter", number)
            return
        date = dt.date(2024, 1, 1) + dt.timedelta(draw.choice((14, 14, draw.randrange(600))))
        time = draw.choice(("", " 09:30:00", " 18:00:00"))
        order = OrderByHand(
            source,
            number,
            draw.choice(("C01", "C02", "C05", "C13")),
            f"{date}{time}",
            draw.choice(("10", "-3.25", "99.99")),
            draw.choice(tuple(OrderStatus)),
            draw.choice(("", "Mo", f"rep {draw.randrange(9)}")),
            draw.choice(("", "search")),
        )
        put_order(self.workspace, self.book, order)

    def test_whatever_is_put_in_by_hand(self) -> None:
        draw = random.Random(7)
        known = self.workspace.orders(self.book.id)
        for _ in range(14):
            for _ in range(draw.randrange(1, 4)):
                self.change(draw)
            revision, fresh = load_book(self.workspace.record, self.book.id)
            brought = book_since(self.workspace.record, self.book.id, known.orders, known.at, revision)
            assert brought is not None
            self.assert_same(brought, fresh)
            known = shelves.Shelved(self.book.id, revision, brought)

    def test_the_shelf_brings_a_book_forward_without_reading_it_whole(self) -> None:
        before = self.workspace.orders(self.book.id).orders
        put_order(self.workspace, self.book, OrderByHand("counter", "K900", "C04", "2025-08-30", "5"))
        with mock.patch.object(shelves, "load_book", side_effect=AssertionError("read whole")):
            after = self.workspace.orders(self.book.id).orders
        self.assertEqual(after.order_count, before.order_count + 1)

    def test_any_other_change_is_read_anew(self) -> None:
        def put() -> int | None:
            number = f"K{random.randrange(10**9)}"
            return put_order(
                self.workspace, self.book, OrderByHand("counter", number, "C01", "2025-08-30", "5")
            ).delivery_id

        def withdraw() -> None:
            delivery = put()
            assert delivery is not None
            withdraw_delivery(self.workspace, self.book, delivery)

        changes: dict[str, Callable[[], object]] = {
            "a new customer": lambda: put_order(
                self.workspace, self.book, OrderByHand("counter", "K902", "C77", "2025-08-30", "5")
            ),
            "what is known of a customer": lambda: put_customer(
                self.workspace, self.book, CustomerByHand(number="C01", town="Elsewhere")
            ),
            "a withdrawal": withdraw,
            "a file": lambda: deliver(self.workspace, self.book, FOLDER / "payments.csv", "office"),
        }
        for name, change in changes.items():
            known = self.workspace.orders(self.book.id)
            change()
            revision, _ = load_book(self.workspace.record, self.book.id)
            with self.subTest(name=name):
                brought = book_since(self.workspace.record, self.book.id, known.orders, known.at, revision)
                self.assertIsNone(brought)
                self.assertEqual(self.workspace.orders(self.book.id).at, revision)


if __name__ == "__main__":
    unittest.main()
