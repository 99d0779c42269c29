"""Laws of new and returning and of every cohort figure: what must not matter does not, and parts add up."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from goldthread.core.book.columns import OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Average, CohortFigure, Measure, Span
from goldthread.core.cohorts.figures import Costs, figure_table
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.newness.stretches import tally
from goldthread.core.newness.table import NewnessTable, newness_table
from tests.support.histories import AS_OF, CUSTOMERS, history_columns, taken

Figures = dict[str, tuple[int, ...]]
RULES = (LapseRule(days=30), LapseRule(days=120), LapseRule(months=2))


def table_of(columns: OrderColumns, span: Span, lapse: LapseRule, as_of: int = AS_OF) -> NewnessTable:
    book = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
    return newness_table(read_history(book, HistoryRule(as_of, lapse=lapse)), span)


def figures(table: NewnessTable) -> Figures:
    """Every period that has an order, with all its figures."""
    columns = [
        values.tolist()
        for measure in Measure
        for parts in (table.parts(measure),)
        for values in (parts.new, parts.returning, parts.won_back)
    ]
    told = dict(zip(table.labels, zip(*columns, strict=True), strict=True))
    return {label: each for label, each in told.items() if any(each)}


class Laws(unittest.TestCase):
    def each(self) -> list[tuple[OrderColumns, Span, LapseRule]]:
        return [(history_columns(seed), span, lapse) for seed in range(3) for span in Span for lapse in RULES]

    def test_neither_the_sequence_of_rows_nor_the_names_of_customers_matter(self) -> None:
        for columns, span, lapse in self.each():
            rows = np.random.default_rng(5).permutation(columns.day.size)
            renamed = np.random.default_rng(6).permutation(CUSTOMERS).astype(np.int32).take(columns.customer)
            wanted = figures(table_of(columns, span, lapse))
            with self.subTest(span=span, lapse=lapse):
                self.assertEqual(figures(table_of(taken(columns, rows), span, lapse)), wanted)
                other = taken(columns, np.arange(columns.day.size), renamed)
                self.assertEqual(figures(table_of(other, span, lapse)), wanted)

    def test_disjoint_customers_add_up(self) -> None:
        for columns, span, lapse in self.each():
            summed: dict[str, np.ndarray] = {}
            for part in (columns.customer < 9, columns.customer >= 9):
                for label, told in figures(table_of(taken(columns, np.flatnonzero(part)), span, lapse)).items():
                    summed[label] = summed.get(label, np.zeros(9, np.int64)) + np.array(told)
            with self.subTest(span=span, lapse=lapse):
                found = {label: tuple(told.tolist()) for label, told in summed.items()}
                self.assertEqual(found, figures(table_of(columns, span, lapse)))

    def test_what_comes_later_changes_no_period_that_is_over(self) -> None:
        for columns, span, lapse in self.each():
            early = AS_OF - 200
            before, after = table_of(columns, span, lapse, early), figures(table_of(columns, span, lapse))
            complete = figures(before)
            if before.state.size and int(before.state[-1]) == 1:
                complete.pop(before.labels[-1], None)
            with self.subTest(span=span, lapse=lapse):
                self.assertEqual({label: after[label] for label in complete}, complete)

    def test_moving_all_dates_by_whole_weeks_moves_the_weeks_and_nothing_else(self) -> None:
        for seed in range(3):
            columns = history_columns(seed)
            moved = replace(columns, day=columns.day + np.int32(7 * 60))
            for lapse in RULES[:2]:
                before = list(figures(table_of(columns, Span.WEEK, lapse)).values())
                after = list(figures(table_of(moved, Span.WEEK, lapse, AS_OF + 7 * 60)).values())
                self.assertEqual(after, before)

    def test_stretches_that_follow_each_other_add_up_but_for_customers(self) -> None:
        columns = history_columns(1)
        book = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
        history = read_history(book, HistoryRule(AS_OF))
        low = history.book.day_span[0]
        for middle in range(low + 20, AS_OF, 97):
            one, other, whole = (tally(history, *days) for days in ((low, middle), (middle + 1, AS_OF), (low, AS_OF)))
            for name in ("orders", "revenue_minor"):
                parts = np.array(getattr(one, name)) + np.array(getattr(other, name))
                self.assertEqual(tuple(parts.tolist()), getattr(whole, name))
            self.assertEqual(one.customers[0] + other.customers[0], whole.customers[0])
            self.assertGreaterEqual(sum(one.customers[:2]) + sum(other.customers[:2]), sum(whole.customers[:2]))


class CohortFigures(unittest.TestCase):
    def test_shares_stand_between_their_bounds_and_move_one_way(self) -> None:
        for seed in range(3):
            book = OrderBook.build(history_columns(seed), np.arange(CUSTOMERS, dtype=np.int64))
            for period in CALENDAR_PERIODS:
                for kind in AgeKind:
                    table = cohort_table(read_history(book, HistoryRule(AS_OF)), period, kind)
                    told = {
                        figure: figure_table(table, figure, Average.WEIGHTED, Costs.none(table))
                        for figure in CohortFigure
                    }
                    seen = table.observed
                    with self.subTest(seed=seed, period=period, kind=kind):
                        for figure in (CohortFigure.RETENTION, CohortFigure.STILL_BUYING, CohortFigure.CAME_BACK):
                            one = told[figure]
                            self.assertTrue((one.values[seen] >= one.low[seen] - 1e-12).all())
                            self.assertTrue((one.values[seen] <= one.high[seen] + 1e-12).all())
                        both = seen[:, 1:] & seen[:, :-1]
                        still = np.diff(told[CohortFigure.STILL_BUYING].values, axis=1)[both]
                        back = np.diff(told[CohortFigure.CAME_BACK].values, axis=1)[both]
                        self.assertTrue((still <= 1e-12).all())
                        self.assertTrue((back >= -1e-12).all())
                        retained = told[CohortFigure.RETENTION].values[seen]
                        self.assertTrue((told[CohortFigure.STILL_BUYING].values[seen] >= retained - 1e-12).all())
                        np.testing.assert_allclose(told[CohortFigure.CHURN].values[seen], 1 - retained)
                        profit = told[CohortFigure.PROFIT_PER_CUSTOMER].values[seen]
                        np.testing.assert_allclose(profit, told[CohortFigure.REVENUE_PER_CUSTOMER].values[seen])


if __name__ == "__main__":
    unittest.main()
