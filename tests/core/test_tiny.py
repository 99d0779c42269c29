"""The core gives the figures of the small history full of traps."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from goldthread.core.checks import check_all
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Average, CohortFigure, Period
from goldthread.core.cohorts.figures import Costs, figure_table
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.facts import open_gap_days
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.history.standing import Standing, standing
from goldthread.core.threads.gaps import average_gap_days, gap_days, rank
from tests.support import tiny
from tests.support.tiny_cells import cells


class TinyCase(unittest.TestCase):
    expected: dict[str, Any]
    history: History

    @classmethod
    def setUpClass(cls) -> None:
        cls.expected = tiny.expected()
        cls.history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY))


class Totals(TinyCase):
    def test_orders_customers_and_revenue(self) -> None:
        book, totals = self.history.book, self.expected["totals"]
        self.assertEqual(book.order_count, totals["orders"])
        self.assertEqual(book.ordering.size, totals["customers_with_orders"])
        self.assertEqual(int(book.amount_minor.sum()), totals["revenue"])

    def test_the_order_after_the_as_of_date_is_told(self) -> None:
        self.assertEqual(self.history.left_out_after_as_of_count, self.expected["left_out_after_as_of"])
        self.assertEqual(self.history.left_out_by_rule_count, 2)

    def test_counter_only_recomputes_every_first_order(self) -> None:
        wanted = self.expected["history_counter_only"]
        rule = HistoryRule(tiny.AS_OF_DAY, sources=frozenset({"counter"}))
        counter = read_history(tiny.book(), rule)
        self.assertEqual(counter.book.order_count, wanted["totals"]["orders"])
        self.assertEqual(counter.book.ordering.size, wanted["totals"]["customers_with_orders"])
        self.assertEqual(cells(cohort_table(counter, Period.MONTH)), wanted["cohorts_calendar_month"])


class CohortFigures(TinyCase):
    def test_calendar_months(self) -> None:
        table = cohort_table(self.history, Period.MONTH)
        self.assertEqual(cells(table), self.expected["cohorts_calendar_month"])

    def test_elapsed_months_of_30_days(self) -> None:
        table = cohort_table(self.history, Period.MONTH, AgeKind.ELAPSED)
        self.assertEqual(cells(table), self.expected["cohorts_elapsed_30_days"])

    def test_average_retention_by_age_and_overall(self) -> None:
        table = cohort_table(self.history, Period.MONTH)
        for average in Average:
            with self.subTest(average=average):
                found = figure_table(table, CohortFigure.RETENTION, average, Costs.none(table)).averages
                self.assertTrue(math.isclose(found.values[0], 1))
                for age, wanted in self.expected["retention_calendar_month"].items():
                    self.assertAlmostEqual(found.values[int(age)], wanted[average.value], 6)
                self.assertAlmostEqual(found.overall, self.expected["retention_overall"][average.value], 6)

    def test_every_identity_holds_in_every_period(self) -> None:
        for period in CALENDAR_PERIODS:
            for kind in AgeKind:
                for check in check_all(cohort_table(self.history, period, kind), LapseRule()):
                    with self.subTest(period=period, kind=kind, claim=check.claim):
                        self.assertEqual(check.found, check.expected)


class Threads(TinyCase):
    def test_each_thread_has_its_orders_ranks_and_gaps(self) -> None:
        book, listed = self.history.book, tiny.orders()
        customers = tiny.customer_numbers()
        ranks, gaps = rank(book), gap_days(book)
        averages, since = average_gap_days(book), open_gap_days(book, tiny.AS_OF_DAY)
        for number, thread in self.expected["threads"].items():
            customer = customers.index(number)
            positions = range(book.starts[customer], book.starts[customer + 1])
            found = [
                {
                    "source": listed[book.order_id[p]].source,
                    "number": listed[book.order_id[p]].number,
                    "date": listed[book.order_id[p]].date.isoformat(),
                    "rank": int(ranks[p]),
                    "gap": None if gaps[p] < 0 else int(gaps[p]),
                    "amount": int(book.amount_minor[p]),
                }
                for p in positions
            ]
            with self.subTest(customer=number):
                self.assertEqual(found, thread["orders"])
                self.assertEqual(_number(since[customer]), thread["days_since_latest"])
                self.assertAlmostEqual(_number(averages[customer]) or 0, thread["average_gap"] or 0, 6)

    def test_standing(self) -> None:
        rules = {"standing_90_days": LapseRule(days=90), "standing_6_months": LapseRule(months=6)}
        for name, rule in rules.items():
            counts = np.bincount(
                standing(self.history.whole, self.history.book, tiny.AS_OF_DAY, rule), minlength=len(Standing)
            )
            found = {member.name.lower(): int(counts[member]) for member in Standing}
            with self.subTest(rule=name):
                self.assertEqual(found, self.expected[name])


def _number(value: np.float64) -> float | None:
    return None if np.isnan(value) else float(value)


if __name__ == "__main__":
    unittest.main()
