"""The knots of a thread: bounded in number, and nothing lost in gathering."""

from __future__ import annotations

import itertools
import unittest

import numpy as np

from goldthread.core.book.days import to_date
from goldthread.stops.behind.thread import MOST_KNOTS, MOST_KNOTS_LARGE, knots_of
from tests.support.random_books import book_of, random_rows


class Knots(unittest.TestCase):
    def test_very_many_orders_are_gathered_and_nothing_is_lost(self) -> None:
        book = book_of(random_rows(7, customers=3, orders=9_000), customers=3)
        marked = np.zeros(int(book.counts[0]), bool)
        marked[[0, 1_000]] = True
        days = book.day[: marked.size]
        for most in (MOST_KNOTS, MOST_KNOTS_LARGE):
            with self.subTest(most=most):
                knots = knots_of(book, 0, marked, most)
                self.assertGreater(marked.size, most)
                self.assertTrue(most / 2 < len(knots) <= most)
                self.assertEqual((knots[0].date, knots[-1].until), (to_date(int(days[0])), to_date(int(days[-1]))))
                self.assertEqual(sum(knot.orders for knot in knots), marked.size)
                self.assertEqual(sum(knot.amount_minor for knot in knots), int(book.amount_minor[: marked.size].sum()))
                self.assertEqual(
                    [knot.rank for knot in knots], np.cumsum([1, *(k.orders for k in knots)])[:-1].tolist()
                )
                inside = [i for i, knot in enumerate(knots) if knot.inside]
                self.assertEqual(inside[0], 0)
                self.assertTrue(all(a.until < b.date for a, b in itertools.pairwise(knots)))
                for rank in (1, 1_001):
                    self.assertTrue(any(k.rank <= rank < k.rank + k.orders for i in inside for k in [knots[i]]))
                self.assertEqual(len(inside), 2)

    def test_few_orders_keep_a_knot_each_with_their_gaps(self) -> None:
        book = book_of(random_rows(3))
        for customer in range(book.counts.size):
            first, after = int(book.starts[customer]), int(book.starts[customer + 1])
            days = book.day[first:after].tolist()
            knots = knots_of(book, customer, np.ones(after - first, bool), MOST_KNOTS)
            with self.subTest(customer=customer):
                self.assertEqual([knot.date for knot in knots], [to_date(day) for day in days])
                self.assertEqual(
                    [knot.gap_days for knot in knots],
                    [None, *(b - a for a, b in itertools.pairwise(days))][: len(days)],
                )


if __name__ == "__main__":
    unittest.main()
