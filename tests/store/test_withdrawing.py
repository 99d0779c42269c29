"""A delivery taken back: the book is what it would be had the delivery never come."""

from __future__ import annotations

import random
import unittest

from goldthread.actions import books, by_hand
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.core.records import FileKind, OrderStatus, Verdict
from goldthread.errors import Conflict, NotFound
from goldthread.store.books import BookRow
from tests.support import tiny
from tests.support.planning import HEADERS, Planned, planned
from tests.support.sharing import RAW_TINY, deliver, new_book, write_csv
from tests.support.state import state_of
from tests.support.store import StoreCase


class Case(StoreCase):
    def bring(self, book: BookRow, plan: Planned, place: int) -> int | None:
        path = write_csv(self.folder / f"file-{place}.csv", [HEADERS[plan.kind], *plan.rows])
        return deliver(self.workspace, book, path, plan.source, plan.kind).delivery_id


class HadItNeverCome(Case):
    def test_whatever_came_before_and_after(self) -> None:
        """Nine deliveries of every kind, some of them withdrawn in any sequence, against a book without those."""
        for seed in range(5):
            draw = random.Random(seed)
            plans = [planned(draw) for _ in range(9)]
            book, other = new_book(self.workspace), new_book(self.workspace)
            delivered = [self.bring(book, plan, place) for place, plan in enumerate(plans)]
            came = [place for place, delivery in enumerate(delivered) if delivery is not None]
            gone = draw.sample(came, min(3, len(came)))
            for place in gone:
                delivery = delivered[place]
                assert delivery is not None
                withdraw_delivery(self.workspace, book, delivery)
            for place in came:
                if place not in gone:
                    self.bring(other, plans[place], place)
            with self.subTest(seed=seed, gone=gone):
                self.assertEqual(state_of(self.workspace, book), state_of(self.workspace, other))

    def test_the_whole_small_history_can_be_withdrawn_and_brought_in_again(self) -> None:
        empty = state_of(self.workspace, self.book)
        ids = [deliver(self.workspace, self.book, tiny.FOLDER / name, source).delivery_id for source, name in RAW_TINY]
        full = state_of(self.workspace, self.book)
        for delivery in ids:
            assert delivery is not None
            withdraw_delivery(self.workspace, self.book, delivery)
        self.assertEqual(state_of(self.workspace, self.book), empty)
        for source, name in RAW_TINY:
            self.assertIsNotNone(deliver(self.workspace, self.book, tiny.FOLDER / name, source).delivery_id)
        self.assertEqual(state_of(self.workspace, self.book), full)

    def test_the_log_keeps_a_line_and_the_figures_follow(self) -> None:
        path = write_csv(self.folder / "f.csv", [HEADERS[FileKind.ORDERS], ("A-1", "C1", "2024-01-05", 5, "paid", "")])
        delivery = deliver(self.workspace, self.book, path).delivery_id
        assert delivery is not None
        self.assertEqual(self.workspace.orders(self.book.id).orders.order_count, 1)
        undone = withdraw_delivery(self.workspace, self.book, delivery)
        self.assertEqual((undone.records_gone, undone.records_back, undone.customers_gone), (1, 0, 1))
        self.assertEqual(self.workspace.orders(self.book.id).orders.customer_count, 0)
        [line] = books.list_deliveries(self.workspace, self.book)
        self.assertIsNotNone(line.withdrawn_at)
        self.assertEqual(books.summarise(self.workspace, self.book).known_sources, [])
        with self.assertRaises(Conflict):
            withdraw_delivery(self.workspace, self.book, delivery)
        with self.assertRaises(NotFound):
            withdraw_delivery(self.workspace, new_book(self.workspace), delivery)


class ByHand(Case):
    def told(self) -> list[str]:
        return state_of(self.workspace, self.book)["orders"]

    def test_an_order_is_added_corrected_and_cancelled_and_each_can_be_undone(self) -> None:
        written = by_hand.OrderByHand("counter", "A-1", "c1@x.example", "2024-01-05", "10.50", rep="Mo")
        added = by_hand.put_order(self.workspace, self.book, written)
        self.assertEqual((added.added, added.customers_added), (1, 1))
        first = self.told()
        corrected = by_hand.put_order(
            self.workspace, self.book, by_hand.OrderByHand("counter", "A-1", "c1@x.example", "2024-01-06", "11")
        )
        self.assertEqual(
            [(c.was, c.becomes) for c in corrected.changes], [("5 Jan 2024, 10.50, Mo", "6 Jan 2024, 11.00, ")]
        )
        cancelled = by_hand.cancel_order(self.workspace, self.book, "counter", "A-1")
        known = by_hand.show_order(self.workspace, self.book, "counter", " A-1 ")
        assert known is not None
        self.assertEqual((known.status, known.amount, known.file_name), (OrderStatus.CANCELLED, 11, "order A-1"))
        for report in (cancelled, corrected):
            assert report.delivery_id is not None
            withdraw_delivery(self.workspace, self.book, report.delivery_id)
        self.assertEqual(self.told(), first)
        with self.assertRaises(NotFound):
            by_hand.cancel_order(self.workspace, self.book, "web", "A-1")

    def test_a_customer_is_marked_and_keeps_what_a_file_told(self) -> None:
        path = write_csv(
            self.folder / "c.csv",
            [HEADERS[FileKind.CUSTOMERS], ("C1", "a@x.example", "Ada", "Kilnford", "Coast", "open")],
        )
        deliver(self.workspace, self.book, path, "office")
        before = state_of(self.workspace, self.book)
        marked = by_hand.put_customer(
            self.workspace, self.book, by_hand.CustomerByHand(number="C1", closed=True, do_not_contact=True)
        )
        self.assertEqual((marked.changed, marked.customers_added), (1, 0))
        [(known, attributes)] = state_of(self.workspace, self.book)["customers"]
        self.assertIn("'Ada', 'Kilnford', 1, 1", known)
        self.assertIn("Coast", attributes)
        assert marked.delivery_id is not None
        withdraw_delivery(self.workspace, self.book, marked.delivery_id)
        self.assertEqual(state_of(self.workspace, self.book), before)

    def test_two_customers_are_joined_parted_and_joined_for_good(self) -> None:
        rows = [("A-1", "C1", "2024-01-05", 5, "paid", ""), ("A-2", "C2", "2024-02-05", 5, "paid", "")]
        deliver(self.workspace, self.book, write_csv(self.folder / "f.csv", [HEADERS[FileKind.ORDERS], *rows]))
        apart = state_of(self.workspace, self.book)
        ids = self.workspace.orders(self.book.id).orders.customer_id.tolist()
        said = by_hand.match_customers(self.workspace, self.book, ids, Verdict.ONE)
        whole = self.workspace.orders(self.book.id).orders
        self.assertEqual((whole.customer_count, whole.counts.tolist()), (1, [2]))
        assert said.delivery_id is not None
        withdraw_delivery(self.workspace, self.book, said.delivery_id)
        self.assertEqual(state_of(self.workspace, self.book), apart)
        by_hand.match_customers(self.workspace, self.book, ids, Verdict.APART)
        self.assertEqual(state_of(self.workspace, self.book), apart)
        by_hand.match_customers(self.workspace, self.book, ids, Verdict.ONE)
        self.assertEqual(self.workspace.orders(self.book.id).orders.customer_count, 1)
        with self.assertRaises(NotFound):
            by_hand.match_customers(self.workspace, self.book, ids, Verdict.APART)


if __name__ == "__main__":
    unittest.main()
