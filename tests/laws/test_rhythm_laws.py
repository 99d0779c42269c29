"""Laws of rhythm: what must not matter does not, parts add up, and purchase days without same-day orders are orders."""

from __future__ import annotations

import unittest

import numpy as np

from goldthread.core.book.columns import OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.checks import check_order_counts, check_waits
from goldthread.core.choices import OrderUnit
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.rhythm.counts import order_counts
from goldthread.core.rhythm.gaps import gap_table, gaps_by_step
from goldthread.core.rhythm.waits import Between, waits
from goldthread.core.survival import TimesToEvent, product_limit
from tests.support.histories import AS_OF, CUSTOMERS, history_columns, taken

SEEDS = range(4)
WINDOW = AS_OF - 300, AS_OF - 40
Figures = dict[str, list[float]]


def history_of(columns: OrderColumns, as_of: int = AS_OF, unit: OrderUnit = OrderUnit.ORDER) -> History:
    book = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
    return read_history(book, HistoryRule(as_of, unit=unit))


def figures(history: History, shift: int = 0) -> Figures:
    """Everything that is said of a history, whoever its customers are."""
    counts = order_counts(history, WINDOW[0] + shift, WINDOW[1] + shift, 6)
    steps, every = gaps_by_step(history), gap_table(history)
    times = [waits(history, Between(step)).times for step in (1, 2, 5)]
    return {
        "customers": counts.customers.tolist(),
        "orders": counts.orders.tolist(),
        "revenue": counts.revenue_minor.tolist(),
        "ladder": counts.ladder_went_on.tolist(),
        "steps": steps.histogram.ravel().tolist(),
        "means": [round(float(mean), 9) for mean in steps.mean_over_customers_days],
        "all": every.histogram.ravel().tolist(),
        "ordered": [int(count) for each in times for count in each.events.ravel()],
        "waiting": [int(count) for each in times for count in each.censored.ravel()],
    }


def moved(columns: OrderColumns, days: int) -> OrderColumns:
    """Every order so many days later."""
    other = taken(columns, np.arange(columns.day.size))
    other.day[:] += np.int32(days)
    return other


class Laws(unittest.TestCase):
    def test_neither_the_sequence_of_rows_nor_the_names_of_customers_nor_a_shift_of_all_dates_matters(self) -> None:
        for seed in SEEDS:
            columns = history_columns(seed)
            rows = np.random.default_rng(seed).permutation(columns.day.size)
            renamed = np.random.default_rng(9).permutation(CUSTOMERS).astype(np.int32).take(columns.customer)
            wanted = figures(history_of(columns))
            with self.subTest(seed=seed):
                self.assertEqual(figures(history_of(taken(columns, rows))), wanted)
                self.assertEqual(figures(history_of(taken(columns, np.arange(rows.size), renamed))), wanted)
                self.assertEqual(figures(history_of(moved(columns, 365), AS_OF + 365), 365), wanted)

    def test_disjoint_customers_add_up(self) -> None:
        for seed in SEEDS:
            columns = history_columns(seed)
            whole = order_counts(history_of(columns), *WINDOW, 6)
            parts = [
                order_counts(history_of(taken(columns, np.flatnonzero(part))), *WINDOW, 6)
                for part in (columns.customer < 9, columns.customer >= 9)
            ]
            for name in ("customers", "orders", "revenue_minor", "ladder_reached"):
                summed = sum(getattr(part, name)[name == "customers" :] for part in parts)
                np.testing.assert_array_equal(summed, getattr(whole, name)[name == "customers" :])
            gaps = [
                gap_table(history_of(taken(columns, np.flatnonzero(part)))).behind(None)
                for part in (columns.customer < 9, columns.customer >= 9)
            ]
            every = gap_table(history_of(columns)).behind(None)
            self.assertEqual(sum(each.orders.size for each in gaps), every.orders.size)

    def test_gaps_are_orders_less_customers(self) -> None:
        for seed in SEEDS:
            for unit in OrderUnit:
                history = history_of(history_columns(seed), unit=unit)
                expected = history.book.order_count - history.book.ordering.size
                for table in (gap_table(history), gaps_by_step(history)):
                    self.assertEqual(int(table.counts.sum()), expected)

    def test_merging_two_customers_whose_threads_do_not_overlap_adds_one_gap(self) -> None:
        for seed in SEEDS:
            columns = history_columns(seed)
            one, other = np.unique(columns.customer)[:2]
            early = np.flatnonzero((columns.customer != one) | (columns.day < AS_OF - 350))
            columns = taken(columns, early)
            late = np.flatnonzero((columns.customer != other) | (columns.day >= AS_OF - 350))
            columns = taken(columns, late)
            merged = np.where(columns.customer == other, one, columns.customer).astype(np.int32)
            apart, together = history_of(columns), history_of(taken(columns, np.arange(merged.size), merged))
            had = [int(history.book.counts[place]) for history in (apart,) for place in (one, other)]
            self.assertTrue(all(had), "both have orders")
            gained = int(gap_table(together).counts.sum() - gap_table(apart).counts.sum())
            self.assertEqual(gained, 1)

    def test_what_the_checks_hold(self) -> None:
        for seed in SEEDS:
            for unit in OrderUnit:
                history = history_of(history_columns(seed), unit=unit)
                counts, waited = order_counts(history, *WINDOW, 4), waits(history, Between(2))
                checks = [*check_order_counts(counts), *check_waits(waited)]
                self.assertEqual([check for check in checks if not check.holds], [])

    def test_without_censoring_the_estimate_is_the_plain_share(self) -> None:
        for seed in SEEDS:
            times = waits(history_of(history_columns(seed)), Between(1)).times
            closed = TimesToEvent(times.events, np.zeros_like(times.censored))
            share = product_limit(closed).share[0]
            plain = np.cumsum(times.events[0]) / times.events.sum()
            known = ~np.isnan(share)
            np.testing.assert_allclose(share[known], plain[known], atol=1e-12)

    def test_purchase_days_of_a_book_without_same_day_orders_are_its_orders(self) -> None:
        for seed in SEEDS:
            columns = history_columns(seed)
            _, alone = np.unique(columns.customer.astype(np.int64) << 32 | columns.day, return_index=True)
            columns = taken(columns, np.sort(alone))
            by_order, by_day = (history_of(columns, unit=unit) for unit in OrderUnit)
            self.assertEqual(figures(by_day), figures(by_order))
            np.testing.assert_array_equal(by_day.book.order_id, by_order.book.order_id)


if __name__ == "__main__":
    unittest.main()
