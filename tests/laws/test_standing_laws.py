"""Laws of standings: what must not matter does not, customers add up, and nobody appears or goes unseen."""

from __future__ import annotations

import unittest
from itertools import product

import numpy as np

from goldthread.core.book.columns import OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.checks import check_flows, check_standing
from goldthread.core.choices import Flow, OrderUnit, Period
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.standing.limits import lapse_curve
from goldthread.core.standing.over_time import standings_over_time
from goldthread.core.standing.tally import standing_table
from tests.support.histories import AS_OF, CUSTOMERS, history_columns, taken

SEEDS = range(4)
RULES = (LapseRule(days=60), LapseRule(days=10), LapseRule(months=3), LapseRule(usual_gaps=2))


def history_of(columns: OrderColumns, lapse: LapseRule, as_of: int = AS_OF) -> History:
    book = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
    return read_history(book, HistoryRule(as_of, lapse=lapse))


def figures(history: History) -> dict[str, list[int]]:
    """Everything that is said of a history, whoever its customers are."""
    over, curve = standings_over_time(history, Period.MONTH), lapse_curve(history)
    return {
        "customers": over.customers.ravel().tolist(),
        "moves": over.moves.ravel().tolist(),
        "now": standing_table(history).customers[0].tolist(),
        "revenue": standing_table(history).revenue_minor[0].tolist(),
        "limits": curve.lapsed.tolist(),
        "suggested": [curve.suggested_days or 0],
    }


class Laws(unittest.TestCase):
    def test_neither_the_sequence_of_rows_nor_the_names_of_customers_matter(self) -> None:
        for seed, lapse in product(SEEDS, RULES):
            columns = history_columns(seed)
            rows = np.random.default_rng(seed).permutation(columns.day.size)
            renamed = np.random.default_rng(9).permutation(CUSTOMERS).astype(np.int32).take(columns.customer)
            wanted = figures(history_of(columns, lapse))
            with self.subTest(seed=seed, lapse=lapse):
                self.assertEqual(figures(history_of(taken(columns, rows), lapse)), wanted)
                self.assertEqual(figures(history_of(taken(columns, np.arange(rows.size), renamed), lapse)), wanted)

    def test_a_shift_of_all_dates_by_whole_weeks_moves_everything_with_it(self) -> None:
        for seed, days in product(SEEDS, (7, 371)):
            columns, lapse = history_columns(seed), LapseRule(days=60)
            later = taken(columns, np.arange(columns.day.size))
            later.day[:] += np.int32(days)
            one = standings_over_time(history_of(columns, lapse), Period.WEEK)
            other = standings_over_time(history_of(later, lapse, AS_OF + days), Period.WEEK)
            np.testing.assert_array_equal(one.moves, other.moves)

    def test_disjoint_customers_add_up(self) -> None:
        for seed, lapse in product(SEEDS, RULES[:3]):
            columns = history_columns(seed)
            book = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
            half = np.arange(CUSTOMERS) < CUSTOMERS // 2
            rule = HistoryRule(AS_OF, lapse=lapse)
            whole = standing_table(read_history(book, rule))
            parts = [standing_table(read_history(book, rule, among)) for among in (half, ~half)]
            np.testing.assert_array_equal(sum(part.customers for part in parts), whole.customers)
            np.testing.assert_array_equal(sum(part.revenue_minor for part in parts), whole.revenue_minor)
            curves = [lapse_curve(read_history(book, rule, among)) for among in (half, ~half)]
            for days in range(0, 800, 50):
                together = lapse_curve(read_history(book, rule)).lapsed_at(days)
                self.assertEqual(sum(curve.lapsed_at(days) for curve in curves), together)

    def test_opening_and_flows_make_up_every_standing_and_all_are_the_customers_on_file(self) -> None:
        for seed, lapse, period, unit in product(SEEDS, RULES, (Period.WEEK, Period.QUARTER), OrderUnit):
            if lapse.is_span or period is Period.QUARTER:
                book = OrderBook.build(history_columns(seed), np.arange(CUSTOMERS, dtype=np.int64))
                history = read_history(book, HistoryRule(AS_OF, lapse=lapse, unit=unit))
                table = standings_over_time(history, period)
                checks = [*check_flows(table), *check_standing(history, lapse)]
                self.assertEqual([check for check in checks if not check.holds], [])
                began = int(table.flow(Flow.BEGAN).sum())
                self.assertEqual(began, int(history.book.ordering.size))
                self.assertTrue((table.moves >= 0).all())

    def test_a_wrong_table_is_found_out(self) -> None:
        table = standings_over_time(history_of(history_columns(1), RULES[0]), Period.QUARTER)
        table.customers[1, -1] += 1
        self.assertEqual([check.holds for check in check_flows(table)], [False, False])


if __name__ == "__main__":
    unittest.main()
