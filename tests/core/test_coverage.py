"""Orders per month and source: what looks missing or doubled, and who orders in several sources."""

from __future__ import annotations

import datetime as dt
import unittest

import numpy as np

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.days import to_day
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.periods import period_label
from goldthread.core.choices import Period
from goldthread.core.coverage import Coverage, coverage, shared_customers
from tests.support.columns import number_keys


def of(*counts: int) -> Coverage:
    """One source with so many orders a month."""
    return Coverage(("till",), 600, np.array([counts], np.int64))


class Months(unittest.TestCase):
    def marks(self, *counts: int) -> tuple[list[int], list[int]]:
        found = of(*counts)
        return np.flatnonzero(found.missing[0]).tolist(), np.flatnonzero(found.doubled[0]).tolist()

    def test_a_gap_and_a_double_are_marked_inside_the_span_only(self) -> None:
        self.assertEqual(self.marks(0, 0, 20, 22, 0, 21, 44, 19, 0), ([4], [6]))

    def test_a_source_with_few_busy_months_has_no_gaps(self) -> None:
        self.assertEqual(self.marks(60, 0, 0, 0, 62, 0, 0, 0, 0, 60), ([], []))

    def test_few_orders_are_no_double(self) -> None:
        self.assertEqual(self.marks(1, 2, 9, 1, 2), ([], []))

    def test_a_season_of_every_year_is_neither(self) -> None:
        year = [20, 20, 20, 20, 20, 20, 20, 0, 60, 20, 20, 20]
        self.assertEqual(self.marks(*year, *year), ([], []))
        self.assertEqual(self.marks(*year, *[20] * 12), ([7], [8]))

    def test_months_are_counted_by_source(self) -> None:
        days = [dt.date(2024, 1, 31), dt.date(2024, 2, 1), dt.date(2024, 2, 29), dt.date(2024, 2, 2)]
        book = OrderBook.build(
            OrderColumns(
                customer=np.array([0, 0, 1, 1], np.int32),
                day=np.array([to_day(day) for day in days], np.int32),
                amount_minor=np.ones(4, np.int64),
                order_id=np.arange(4),
                attributes={
                    "source": Attribute(np.array([0, 1, 1, 0], np.uint16), ("a", "b")),
                    "status": Attribute(np.zeros(4, np.uint16), ("paid",)),
                },
                number_key=number_keys(list("wxyz")),
            ),
            np.arange(3, dtype=np.int64),
        )
        found = coverage(book)
        self.assertEqual(period_label(found.first_month, Period.MONTH), "2024-01")
        self.assertEqual(found.orders.tolist(), [[1, 1], [0, 2]])
        self.assertEqual(shared_customers(book).tolist(), [[2, 2], [2, 2]])

    def test_an_empty_book_has_no_months(self) -> None:
        none = OrderColumns(
            customer=np.array([], np.int32),
            day=np.array([], np.int32),
            amount_minor=np.array([], np.int64),
            order_id=np.array([], np.int64),
            attributes={name: Attribute(np.array([], np.uint16), ()) for name in ("source", "status")},
            number_key=number_keys([]),
        )
        book = OrderBook.build(none, np.arange(2, dtype=np.int64))
        self.assertEqual((coverage(book).orders.shape, shared_customers(book).shape), ((0, 0), (0, 0)))


if __name__ == "__main__":
    unittest.main()
