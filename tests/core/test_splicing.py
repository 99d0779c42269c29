"""Books made of an earlier one and of customers who changed: the same to the last entry, and never in memory twice."""

from __future__ import annotations

import gc
import threading
import tracemalloc
import unittest
import weakref
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

import numpy as np

from goldthread.core.book import splicing
from goldthread.core.book.later import LaterByName
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.part import taken
from goldthread.core.book.splicing import Pieces, spliced
from tests.support import synthetic
from tests.support.large import large_book

ORDERS = 200_000
MOST_OF_A_BOOK = 1.3


def some_customers(book: OrderBook, one_in: int) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    draw = np.random.default_rng(1)
    return np.sort(draw.choice(book.customer_count, book.customer_count // one_in, replace=False))


class Splicing(unittest.TestCase):
    def test_customers_who_leave_and_come_back_as_they_were_change_nothing(self) -> None:
        book = large_book(ORDERS)
        places = some_customers(book, 50)
        for long_piece in (1, 1 << 30):
            with self.subTest(long_piece=long_piece), mock.patch.object(splicing, "_LONG_PIECE", long_piece):
                again = spliced(book, places, taken(book, places), places, synthetic.SOURCES)
                assert again is not None
                for name in ("starts", "day", "amount_minor", "order_id", "customer_id", "number_key"):
                    self.assertTrue(np.array_equal(getattr(again, name), getattr(book, name)), name)
                for name, attribute in book.attributes.items():
                    self.assertEqual(again.attributes[name].labels, attribute.labels)
                    self.assertTrue(np.array_equal(again.attributes[name].codes, attribute.codes), name)
                for name, column in book.customers.texts.items():
                    self.assertTrue(again.customers.texts[name].same_as(column), name)

    def test_customers_leave_come_and_change_places(self) -> None:
        kept, fresh = np.array([10, 11, 12, 13, 14]), np.array([70, 71, 72])
        pieces = Pieces.of_customers(5, np.array([1, 3]), np.array([0, 3, 5]))
        for long_piece in (1, 1 << 30):
            with mock.patch.object(splicing, "_LONG_PIECE", long_piece):
                self.assertEqual(pieces.of(kept, fresh).tolist(), [70, 10, 12, 71, 14, 72])

    def test_nothing_is_copied_where_nobody_changed(self) -> None:
        book, nobody = large_book(1_000), np.zeros(0, np.int64)
        again = spliced(book, nobody, taken(book, nobody), nobody, synthetic.SOURCES)
        assert again is not None
        self.assertIs(again.amount_minor, book.amount_minor)

    def test_a_book_that_nobody_else_holds_is_never_in_memory_twice(self) -> None:
        tracemalloc.start()
        self.addCleanup(tracemalloc.stop)
        held = [large_book(ORDERS)]
        places = some_customers(held[0], 100)
        gc.collect()
        size = tracemalloc.get_traced_memory()[0]
        fresh = taken(held[0], places)
        tracemalloc.reset_peak()
        again = spliced(held.pop(), places, fresh, places, synthetic.SOURCES)
        assert again is not None
        again.complete()
        self.assertLess(tracemalloc.get_traced_memory()[1], MOST_OF_A_BOOK * size)

    def test_a_column_is_made_when_it_is_first_read_and_what_it_is_made_of_let_go(self) -> None:
        book = large_book(1_000)
        column = weakref.ref(book.number_key)
        places = some_customers(book, 50)
        again = spliced(book, places, taken(book, places), places, synthetic.SOURCES)
        assert again is not None
        del book
        again.day.sum()
        self.assertIsNotNone(column())
        again.number_key.sum()
        self.assertIsNone(column())

    def test_of_several_that_want_a_column_one_makes_it(self) -> None:
        both, made = threading.Barrier(2, timeout=60), list[int]()

        def make() -> int:
            made.append(1)
            return len(made)

        later = LaterByName({"one": make})

        def want() -> int:
            both.wait()
            return later["one"]

        with ThreadPoolExecutor(2) as pool:
            self.assertEqual([each.result() for each in [pool.submit(want), pool.submit(want)]], [1, 1])


if __name__ == "__main__":
    unittest.main()
