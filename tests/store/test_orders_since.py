"""A book brought forward by what was put in by hand is the book that is read anew."""

from __future__ import annotations

import datetime as dt
import random
import threading
import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

from goldthread import workspace as shelves
from goldthread.actions.by_hand import CustomerByHand, OrderByHand, cancel_order, put_customer, put_order
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook
from goldthread.core.records import OrderStatus
from goldthread.errors import Outdated, Unavailable
from goldthread.store.read import lines_out, orders_out
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


class SteadyEntry(StoreCase):
    """A book that is changed all the time is read all the same, as it was at one moment."""

    def setUp(self) -> None:
        super().setUp()
        header = ("order", "line", "customer_no", "date", "product", "amount")
        rows = [(f"A-{at // 2}", at % 2, f"C{at // 2 % 900}", "2024-01-05", "clay", "1") for at in range(6_000)]
        deliver(self.workspace, self.book, self.write(*rows, header=header))
        self.before = self.workspace.orders(self.book.id)

    def test_a_book_is_read_as_of_one_moment_however_often_it_changes(self) -> None:
        ended, put = threading.Event(), list[int]()

        def enter() -> None:
            while not ended.is_set():
                number = f"N-{len(put)}"
                put_order(self.workspace, self.book, OrderByHand("desk", number, number, "2025-01-05", "1"))
                put.append(1)

        entering = threading.Thread(target=enter)
        entering.start()
        try:
            found = [load_book(self.workspace.record, self.book.id) for _ in range(5)]
        finally:
            ended.set()
            entering.join()
        self.assertGreater(len(put), 5)
        for at, orders in found:
            since = at.number - self.before.revision
            self.assertEqual(orders.order_count, self.before.orders.order_count + since)
            self.assertEqual(orders.customer_count, self.before.orders.customer_count + since)

    def test_a_reading_that_did_not_begin_at_one_moment_is_begun_again(self) -> None:
        with mock.patch.object(orders_out, "_is_at", side_effect=[False, False, True]) as looked:
            at, orders = load_book(self.workspace.record, self.book.id)
        self.assertEqual((looked.call_count, at), (3, self.before.at))
        self.assertEqual(orders.order_count, self.before.orders.order_count)
        with (
            mock.patch.object(orders_out, "_is_at", return_value=False),
            mock.patch.object(orders_out, "_BEGUN_AGAIN", 2),
            self.assertRaisesRegex(Unavailable, "kept changing"),
        ):
            load_book(self.workspace.record, self.book.id)

    def test_lines_are_read_though_orders_are_put_in_meanwhile(self) -> None:
        read = lines_out._read
        delivery = deliver(self.workspace, self.book, self.write(("Z-1", "C1", "2024-01-05", "1", "paid")), "shop")

        def put() -> None:
            put_order(self.workspace, self.book, OrderByHand("desk", "N-1", "C1", "2025-01-05", "1"))

        def take_back() -> None:
            withdraw_delivery(self.workspace, self.book, delivery.delivery_id or 0)

        def meanwhile(change: Callable[[], None]) -> Callable[..., Any]:
            def reading(*arguments: Any) -> Any:
                found = read(*arguments)
                change()
                return found

            return reading

        with mock.patch.object(lines_out, "_read", meanwhile(put)):
            self.assertEqual(self.workspace.orders(self.book.id).orders.order_lines().order.size, 6_000)
        with mock.patch.object(lines_out, "_read", meanwhile(take_back)), self.assertRaises(Outdated):
            self.workspace.orders(self.book.id).orders.order_lines()


if __name__ == "__main__":
    unittest.main()
