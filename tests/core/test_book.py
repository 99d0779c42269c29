"""Building a book, the order of orders, and intervals."""

from __future__ import annotations

import random
import unittest
from itertools import pairwise
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from goldthread.core import limits
from goldthread.core.book import ordering
from goldthread.core.book.filtered import beginning, filtered
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.ordering import natural_key, sorted_rows
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.intervals import plain_mean_interval, wilson_interval
from goldthread.errors import BookInvalid, InvalidInput, TooLarge
from tests.support import synthetic, tiny
from tests.support.columns import columns

row_lists = st.lists(
    st.tuples(
        st.integers(0, 3),
        st.integers(0, 4),
        st.one_of(st.from_regex(r"[AB]-[0-9]{1,3}", fullmatch=True), st.text(max_size=4)),
        st.integers(0, 1),
        st.sampled_from([-1, 0, 3600]),
    ),
    max_size=40,
)


class OrderOfOrders(unittest.TestCase):
    @given(row_lists, st.permutations(["web", "counter"]))
    def test_orders_stand_by_date_time_natural_number_and_source(
        self, rows: list[tuple[int, int, str, int, int]], sources: list[str]
    ) -> None:
        """Whatever the rows and the sequence of the labels, a plain sort by the definition gives the same."""
        book = OrderBook.build(columns(rows, tuple(sources)), np.arange(4, dtype=np.int64))
        wanted = sorted(
            range(len(rows)),
            key=lambda at: (rows[at][0], rows[at][1], rows[at][4], natural_key(rows[at][2]), sources[rows[at][3]]),
        )
        found = [(rows[at][:3], rows[at][4], sources[rows[at][3]]) for at in book.order_id]
        self.assertEqual(found, [(rows[at][:3], rows[at][4], sources[rows[at][3]]) for at in wanted])

    def test_nine_comes_before_ten(self) -> None:
        self.assertEqual(sorted(["A-10", "A-9", "B-1", "A-09"], key=natural_key), ["A-09", "A-9", "A-10", "B-1"])

    def test_rows_are_sorted_by_ranges_of_customers_to_the_same_end(self) -> None:
        """Whether a key has room for a few customers alone, the book is large, or both."""
        draw = np.random.default_rng(3)
        customer, day = draw.integers(0, 50, 400, np.int32), draw.integers(-9, 900, 400, np.int32)
        customer[:200] = 7
        expected = np.lexsort((day, customer))
        for bits, threaded_from in ((63, 1_000), (21, 1_000), (63, 1), (22, 1)):
            with (
                self.subTest(bits=bits, threaded_from=threaded_from),
                mock.patch.object(ordering, "_KEY_BITS", bits),
                mock.patch.object(ordering, "_THREADED_FROM", threaded_from),
            ):
                found = sorted_rows(customer, day, 50)
                self.assertEqual(found.rows.tolist(), expected.tolist())
                self.assertEqual(found.day.tolist(), day.take(expected).tolist())
                self.assertEqual(found.counts.tolist(), np.bincount(customer, minlength=50).tolist())
                pairs = list(zip(customer.take(expected).tolist(), day.take(expected).tolist(), strict=True))
                together = [one == other for one, other in pairwise(pairs)]
                self.assertEqual([one == other for one, other in pairwise(found.key.tolist())], together)


class Building(unittest.TestCase):
    def test_a_customer_out_of_range_is_refused(self) -> None:
        with self.assertRaisesRegex(BookInvalid, "outside 0 … 1"):
            OrderBook.build(columns([(2, 0, "x", 0, 0)]), np.arange(2, dtype=np.int64))

    def test_customers_without_orders_keep_their_place(self) -> None:
        book = OrderBook.build(columns([(2, 5, "x", 0, 0)]), np.arange(4, dtype=np.int64))
        self.assertEqual(book.starts.tolist(), [0, 0, 0, 1, 1])
        self.assertEqual(book.ordering.tolist(), [2])

    def test_a_book_without_orders_answers_with_an_empty_table(self) -> None:
        book = OrderBook.build(columns([]), np.arange(2, dtype=np.int64))
        table = cohort_table(read_history(book, HistoryRule(0)), Period.MONTH)
        self.assertEqual(table.customers.shape, (0, 0))

    def test_a_filtered_book_is_the_book_of_the_kept_rows(self) -> None:
        """Thinning and building anew agree, for any mask."""
        draw = random.Random(5)
        whole = tiny.book()
        for _ in range(30):
            mask = np.array([draw.random() < 0.6 for _ in range(whole.order_count)])
            fewer = filtered(whole, mask)
            self.assertEqual(np.diff(fewer.starts).sum(), mask.sum())
            self.assertEqual(fewer.order_id.tolist(), whole.order_id[mask].tolist())
            self.assertEqual(fewer.customer.tolist(), whole.customer[mask].tolist())

    def test_the_ids_of_a_few_orders_are_those_of_the_kept_rows(self) -> None:
        """Over several blocks of a book, and of a book that was filtered twice."""
        made, customers = synthetic.orders(200_000)
        draw = np.random.default_rng(11)
        book = OrderBook.build(made, np.arange(customers, dtype=np.int64))
        once = filtered(book, draw.random(book.order_count) < 0.7)
        twice = beginning(once, int(np.median(once.day)))
        for each in (book, once, twice):
            for count in (0, 1, 500, each.order_count):
                positions = draw.choice(each.order_count, count, replace=False)
                np.testing.assert_array_equal(each.ids_of(positions), each.order_id.take(positions))
                each.__dict__.pop("order_id" if each is not book else "customer", None)


class ExactSums(unittest.TestCase):
    def test_amounts_beyond_exact_doubles_are_added_exactly(self) -> None:
        amount = 2**53 + 1
        book = OrderBook.build(columns([(0, 0, "1", 0, 0), (0, 0, "2", 0, 0)], amount=amount), np.arange(1))
        table = cohort_table(read_history(book, HistoryRule(0)), Period.MONTH)
        self.assertEqual(int(table.revenue_minor[0, 0]), 2 * amount)


class Refusals(unittest.TestCase):
    def test_a_table_with_too_many_cells_is_refused_with_a_way_out(self) -> None:
        history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY))
        with mock.patch.object(limits, "CELLS_MOST", 10), self.assertRaisesRegex(TooLarge, "longer period"):
            cohort_table(history, Period.MONTH)

    def test_a_cell_that_is_not_yet_cannot_be_opened(self) -> None:
        table = cohort_table(read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY)), Period.MONTH)
        for cell in ((1, table.age_count - 1), (-1, 0), (0, 99)):
            with self.subTest(cell=cell), self.assertRaises(InvalidInput):
                table.behind(*cell)


class Intervals(unittest.TestCase):
    def test_wilson_gives_the_published_figures(self) -> None:
        """R. G. Newcombe, Statistics in Medicine 17 (1998), 857–872, table I, method 3."""
        successes, trials = np.array([81, 15, 0, 1]), np.array([263, 148, 20, 29])
        low, high = wilson_interval(successes, trials)
        np.testing.assert_allclose(low, [0.2553, 0.0624, 0.0, 0.0061], atol=5e-5)
        np.testing.assert_allclose(high, [0.3662, 0.1605, 0.1611, 0.1718], atol=5e-5)

    def test_nothing_is_known_of_nobody(self) -> None:
        low, high = wilson_interval(np.array([0]), np.array([0]))
        self.assertTrue(np.isnan(low[0]) and np.isnan(high[0]))

    def test_the_band_of_a_plain_mean_holds_the_mean_and_never_vanishes(self) -> None:
        came, size = np.array([[0, 5], [0, 30]]), np.array([[10, 10], [40, 40]])
        low, high = plain_mean_interval(came, size, np.ones((2, 2), np.bool_))
        mean = (came / size).mean(axis=0)
        self.assertTrue((low <= mean).all() and (mean <= high).all() and (high - low > 0.01).all())


if __name__ == "__main__":
    unittest.main()
