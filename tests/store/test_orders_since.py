"""A book brought forward by what changed is the book that is read anew."""

from __future__ import annotations

import random
import threading
import unittest
from collections.abc import Callable, Mapping
from mmap import mmap
from typing import Any
from unittest import mock

import numpy as np
from sqlalchemy import text

from goldthread import workspace as shelves
from goldthread.actions.attributes import describe_attribute
from goldthread.actions.by_hand import (
    CustomerByHand,
    OrderByHand,
    cancel_order,
    match_customers,
    put_customer,
    put_order,
)
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook
from goldthread.core.records import FileKind, OrderStatus, Verdict
from goldthread.errors import Conflict, InvalidInput, NotFound, Outdated, Unavailable
from goldthread.store.read import lines_out, orders_out, orders_since
from goldthread.store.read.customers_out import customer_queries, of_customers
from goldthread.store.read.orders_out import load_book
from goldthread.store.revisions import Stamped
from goldthread.store.snapshot import revisions_on_disk, whole_of
from goldthread.workspace import Shelved, Workspace
from tests.support.planning import HEADERS, planned
from tests.support.sharing import RAW_TINY, deliver, new_book, write_csv
from tests.support.store import StoreCase
from tests.support.tiny import FOLDER

NOT_CALLED = AssertionError("read whole")
FURTHER = ("Packing", "Weight")


def told(attribute: Attribute) -> list[str]:
    return [attribute.labels[code] for code in attribute.codes.tolist()]


def everything_of(book: OrderBook) -> dict[str, Any]:
    """All that a book says, comparable; what only orders customers' own orders, as their sequence."""
    about = book.customers
    lines = book.order_lines()
    sequence = [
        book.number_key[slice(*edges)].argsort(kind="stable").tolist()
        for edges in zip(book.starts[:-1].tolist(), book.starts[1:].tolist(), strict=True)
    ]
    payments = zip(
        book.payments.customer.tolist(), book.payments.day.tolist(), book.payments.amount_minor.tolist(), strict=True
    )
    labelled: Mapping[str, Attribute] = {
        **book.attributes,
        **{f"customers {name}": each for name, each in about.attributes.items()},
        **{f"own {name}": book.own_attribute(name) for name in book.own.columns},
        "product": lines.product,
        "line category": lines.category,
    }
    return {
        **{name: getattr(book, name).tolist() for name in ("starts", "day", "amount_minor", "order_id", "customer_id")},
        **{f"labels of {name}": each.labels for name, each in labelled.items()},
        **{name: told(each) for name, each in labelled.items()},
        **{f"text {name}": each.some(np.arange(each.count)) for name, each in about.texts.items()},
        "found by": about.found_by.some(np.arange(about.found_by.count)),
        "numbers": sorted(about.numbers),
        "sequence": sequence,
        "payments": sorted(payments),
        "lines": (lines.order.tolist(), lines.amount_minor.tolist()),
        "own": dict(book.own.columns),
    }


class BroughtForward(StoreCase):
    def anew(self) -> OrderBook:
        """The book as a process reads it that has neither memory nor snapshots."""
        settings = self.workspace.settings.model_copy(update={"var": self.folder / "elsewhere"})
        with mock.patch.object(shelves, "open_snapshot", return_value=None):
            return Workspace(settings, self.workspace.record).orders(self.book.id).orders

    def bring(self, draw: random.Random) -> int | None:
        plan = planned(draw)
        rows, header = list(plan.rows), HEADERS[plan.kind]
        if plan.kind in (FileKind.ORDERS, FileKind.LINES):
            weight = draw.choice((("1", "2.5", ""), ("1", "heavy"), ("",)))
            header = (*header, *FURTHER)
            rows = [(*row, draw.choice(("box", "crate", "")), draw.choice(weight)) for row in rows]
        path = write_csv(self.folder / "planned.csv", [header, *rows])
        return deliver(self.workspace, self.book, path, plan.source, plan.kind).delivery_id

    def by_hand(self, draw: random.Random) -> None:
        number, date = f"A-{draw.randrange(7)}", f"2024-0{draw.randrange(1, 9)}-14{draw.choice(('', ' 09:30:00'))}"
        order = OrderByHand(
            draw.choice(("counter", "desk")),
            number,
            f"C{draw.randrange(8)}",
            date,
            draw.choice(("10", "-3.25")),
            draw.choice(tuple(OrderStatus)),
            draw.choice(("", "Mo", f"rep {draw.randrange(9)}")),
        )
        put_order(self.workspace, self.book, order)

    def change(self, draw: random.Random, came: list[int]) -> None:
        """Something that somebody does to a book; what cannot be done now is left."""
        customer, other = f"C{draw.randrange(7)}", f"C{draw.randrange(7)}"
        ids = self.workspace.orders(self.book.id).orders.customer_id.tolist()
        verdict = draw.choice(tuple(Verdict))

        def withdraw() -> None:
            if came:
                withdraw_delivery(self.workspace, self.book, came.pop(draw.randrange(len(came))))

        changes: list[Callable[[], object]] = [
            lambda: self.bring(draw),
            lambda: self.bring(draw),
            lambda: self.by_hand(draw),
            withdraw,
            lambda: cancel_order(self.workspace, self.book, "counter", f"A-{draw.randrange(7)}"),
            lambda: put_customer(self.workspace, self.book, CustomerByHand(number=customer, name=f"Name {other}")),
            lambda: match_customers(self.workspace, self.book, draw.sample(ids, 2), verdict),
            lambda: describe_attribute(self.workspace, self.book, FURTHER[0], title=f"Packing {draw.randrange(9)}"),
        ]
        try:
            delivery = draw.choice(changes)()
        except (Conflict, NotFound, InvalidInput, ValueError):
            return
        if isinstance(delivery, int):
            came.append(delivery)

    def test_whatever_is_brought_in_withdrawn_matched_and_named(self) -> None:
        """Spliced equals read anew, column by column: in memory, and out of the snapshots that are left of it."""
        anew = 0
        for seed in range(6):
            draw, came = random.Random(seed), list[int]()
            self.book = new_book(self.workspace)
            self.bring(draw)
            for step in range(14):
                read_whole = mock.Mock(wraps=load_book)
                everything_of(self.workspace.orders(self.book.id).orders)
                for _ in range(draw.randrange(1, 3)):
                    self.change(draw, came)
                with mock.patch.object(shelves, "load_book", read_whole):
                    brought = self.workspace.orders(self.book.id)
                anew += read_whole.call_count
                with self.subTest(seed=seed, step=step):
                    expected = everything_of(self.anew())
                    self.assertEqual(everything_of(brought.orders), expected)
                    with mock.patch.object(shelves, "load_book", side_effect=NOT_CALLED):
                        reopened = Workspace(self.workspace.settings, self.workspace.record).orders(self.book.id)
                    self.assertEqual(everything_of(reopened.orders), expected)
        self.assertLess(anew, 12)

    def tiny(self) -> Shelved:
        for source, name in RAW_TINY:
            deliver(self.workspace, self.book, FOLDER / name, source)
        return self.workspace.orders(self.book.id)

    def test_a_process_that_begins_reads_what_changed_since_the_last_snapshot(self) -> None:
        before = self.tiny()
        put_order(self.workspace, self.book, OrderByHand("counter", "K900", "C04", "2025-08-30", "5"))
        put_customer(self.workspace, self.book, CustomerByHand(number="C99", name="Somebody New"))
        with mock.patch.object(shelves, "load_book", side_effect=NOT_CALLED):
            after = Workspace(self.workspace.settings, self.workspace.record).orders(self.book.id)
        self.assertEqual(after.orders.order_count, before.orders.order_count + 1)
        self.assertEqual(after.orders.customer_count, before.orders.customer_count + 1)

    def test_what_changed_is_written_alone_and_from_time_to_time_the_whole(self) -> None:
        folder, before = self.workspace.settings.snapshots, self.tiny()
        for place in range(3):
            put_order(self.workspace, self.book, OrderByHand("counter", f"K90{place}", "C04", "2025-08-30", "5"))
            at = self.workspace.orders(self.book.id).at
            self.workspace.finish()
            whole = whole_of(folder, self.book.id, at)
            assert whole is not None
            self.assertEqual((whole.at, whole.touched.size), (before.at, 1))
            self.assertEqual(revisions_on_disk(folder, self.book.id), [at, before.at])
        with mock.patch.object(shelves, "is_worth_it", side_effect=[True, False]):
            put_order(self.workspace, self.book, OrderByHand("counter", "K909", "C05", "2025-08-30", "5"))
            after = self.workspace.orders(self.book.id)
        self.workspace.finish()
        self.assertEqual(revisions_on_disk(folder, self.book.id), [after.at])
        self.assertEqual(everything_of(after.orders), everything_of(self.anew()))

    def test_a_whole_snapshot_takes_the_place_of_what_is_in_memory(self) -> None:
        self.tiny()
        with mock.patch("goldthread.store.snapshot.WHOLE_SECONDS", -1):
            put_order(self.workspace, self.book, OrderByHand("counter", "K901", "C04", "2025-08-30", "5"))
            brought = self.workspace.orders(self.book.id)
            self.workspace.finish()
        mapped = self.workspace.orders(self.book.id)
        self.assertEqual((mapped.at, mapped.orders is brought.orders), (brought.at, False))
        self.assertIsInstance(mapped.orders.order_id.base, mmap)
        self.assertEqual(everything_of(mapped.orders), everything_of(self.anew()))

    def test_of_several_that_need_a_book_one_reads_it_and_all_map_it(self) -> None:
        self.tiny()
        others = [Workspace(self.workspace.settings, self.workspace.record) for _ in range(3)]
        deliver(self.workspace, self.book, FOLDER / RAW_TINY[0][1], "another desk")
        read_whole, found = mock.Mock(wraps=load_book), list[Shelved]()
        with (
            mock.patch.object(shelves, "is_worth_it", return_value=False),
            mock.patch.object(shelves, "load_book", read_whole),
        ):
            asking = [
                threading.Thread(target=lambda each=each: found.append(each.orders(self.book.id))) for each in others
            ]
            for each in asking:
                each.start()
            for each in asking:
                each.join()
        self.assertEqual(read_whole.call_count, 1)
        self.assertTrue(all(isinstance(each.orders.order_id.base, mmap) for each in found))

    def test_a_book_that_moves_on_while_it_is_brought_forward_is_brought_to_where_it_went(self) -> None:
        self.tiny()
        numbers = iter(("K901", "K902"))

        def put() -> None:
            put_order(self.workspace, self.book, OrderByHand("counter", next(numbers), "C04", "2025-08-30", "5"))

        def torn(*_arguments: object) -> OrderBook:
            put()
            raise IndexError

        put()
        read = mock.Mock(side_effect=[torn, orders_out.load_customers])
        with (
            mock.patch.object(orders_since, "load_customers", lambda *given: read()(*given)),
            mock.patch.object(shelves, "load_book", side_effect=NOT_CALLED),
        ):
            after = self.workspace.orders(self.book.id)
        self.assertEqual((after.revision, read.call_count), (self.revision(), 2))
        self.assertEqual(everything_of(after.orders), everything_of(self.anew()))

    def test_what_belongs_to_some_customers_is_found_by_its_own_index(self) -> None:
        some = np.arange(1, 4)
        queries = {"orders": orders_out.orders_query(self.book.id, **of_customers("orders", some))}
        queries |= customer_queries(self.book.id, some)
        plans = {}
        with self.workspace.record.engine.connect() as connection:
            for name, query in queries.items():
                plan = connection.execute(text(f"EXPLAIN {query}".replace(":", r"\:"))).mappings().all()
                plans[name] = [row["key"] for row in plan if row["table"] in ("c", "k", "o", "p")]
        expected = {
            "orders": ["ix_customer_keys_customer", "ix_orders_customer_key"],
            "customers": ["PRIMARY"],
            "keys": ["ix_customer_keys_customer"],
            "payments": ["ix_customer_keys_customer", "ix_payments_customer_key"],
        }
        self.assertEqual(plans, expected)

    def test_a_change_of_most_of_a_book_is_read_anew(self) -> None:
        self.tiny()
        put_order(self.workspace, self.book, OrderByHand("counter", "K900", "C04", "2025-08-30", "5"))
        read_whole = mock.Mock(wraps=load_book)
        with (
            mock.patch.object(shelves, "is_worth_it", return_value=False),
            mock.patch.object(shelves, "load_book", read_whole),
        ):
            self.workspace.orders(self.book.id)
        self.assertEqual(read_whole.call_count, 1)


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
            found: list[tuple[Stamped, OrderBook]] = []
            while entering.is_alive() and (len(found) < 5 or len(put) <= 5):
                found.append(load_book(self.workspace.record, self.book.id))
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
            def reading(*arguments: Any, **named: Any) -> Any:
                found = read(*arguments, **named)
                change()
                return found

            return reading

        with mock.patch.object(lines_out, "_read", meanwhile(put)):
            self.assertEqual(self.workspace.orders(self.book.id).orders.order_lines().order.size, 6_000)
        other = Workspace(self.workspace.settings, self.workspace.record).orders(self.book.id)
        with mock.patch.object(lines_out, "_read", meanwhile(take_back)), self.assertRaises(Outdated):
            other.orders.order_lines()


if __name__ == "__main__":
    unittest.main()
