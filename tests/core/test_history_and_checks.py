"""History rules, threads, standing, and checks that notice what they are there to notice."""

from __future__ import annotations

import datetime as dt
import unittest
from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from unittest import mock

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_day
from goldthread.core.book.filtered import filtered
from goldthread.core.checks import (
    Check,
    check_behind,
    check_diagonals,
    check_gaps,
    check_sizes,
    check_standing,
    check_totals,
)
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.facts import open_gap_days
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.history.standing import Standing, standing
from goldthread.core.records import OrderStatus
from goldthread.core.threads.gaps import average_gap_days, first_orders, gap_days, latest_orders, rank
from tests.support import tiny
from tests.support.histories import AS_OF, history_columns, table_of


class Histories(unittest.TestCase):
    def test_orders_left_out_are_counted_by_their_reason(self) -> None:
        listed = tiny.orders()
        for as_of in (tiny.AS_OF_DAY, tiny.AS_OF_DAY - 300):
            for statuses in ({OrderStatus.PAID}, set(OrderStatus), {OrderStatus.CANCELLED, OrderStatus.OPEN}):
                for sources in (None, frozenset({"web"}), frozenset({"web", "phone"})):
                    history = read_history(tiny.book(), HistoryRule(as_of, frozenset(statuses), sources))
                    fits = [
                        order
                        for order in listed
                        if order.status in {s.value for s in statuses} and (sources is None or order.source in sources)
                    ]
                    dated = [order for order in listed if to_day(order.date) <= as_of]
                    counted = [order for order in fits if to_day(order.date) <= as_of]
                    with self.subTest(as_of=as_of, statuses=statuses, sources=sources):
                        self.assertEqual(history.book.order_count, len(counted))
                        self.assertEqual(history.left_out_by_rule_count, len(dated) - len(counted))
                        self.assertEqual(history.left_out_after_as_of_count, len(fits) - len(counted))
                        self.assertEqual(history.book.customer_count, history.whole.customer_count)

    def test_a_rule_that_leaves_nothing_out_makes_no_copy(self) -> None:
        book = tiny.book()
        rule = HistoryRule(to_day(dt.date(2030, 1, 1)), frozenset(OrderStatus))
        self.assertIs(read_history(book, rule).book, book)

    def test_first_is_recomputed_when_the_rule_leaves_the_old_first_out(self) -> None:
        book = tiny.book()
        web = read_history(book, HistoryRule(tiny.AS_OF_DAY, sources=frozenset({"web"}))).book
        customer = tiny.customer_numbers().index("C01")
        numbers = [
            tiny.orders()[int(web.order_id[at])].number for at in range(web.starts[customer], web.starts[customer + 1])
        ]
        self.assertEqual(numbers, ["W-9", "W-10", "W-20"])
        self.assertEqual(int(rank(web)[web.starts[customer]]), 1)


class ThreadsByHand(unittest.TestCase):
    def test_ranks_gaps_and_averages_are_those_counted_one_by_one(self) -> None:
        columns = history_columns(7)
        book = table_of(columns, Period.MONTH, AgeKind.CALENDAR).history.book
        ranks, gaps = rank(book), gap_days(book)
        averages, since = average_gap_days(book), open_gap_days(book, AS_OF)
        for customer in range(book.customer_count):
            days = book.day[book.starts[customer] : book.starts[customer + 1]].tolist()
            self.assertEqual(days, sorted(days))
            start = book.starts[customer]
            with self.subTest(customer=customer):
                self.assertEqual(ranks[start : start + len(days)].tolist(), list(range(1, len(days) + 1)))
                by_hand = [-1, *(b - a for a, b in pairwise(days))][: len(days)]
                self.assertEqual(gaps[start : start + len(days)].tolist(), by_hand)
                if not days:
                    self.assertTrue(np.isnan(since[customer]) and np.isnan(averages[customer]))
                    continue
                self.assertEqual(since[customer], AS_OF - days[-1])
                if len(days) > 1:
                    self.assertAlmostEqual(averages[customer], (days[-1] - days[0]) / (len(days) - 1))
        self.assertEqual(book.day.take(first_orders(book)).size, book.ordering.size)
        self.assertTrue((book.day.take(latest_orders(book)) >= book.day.take(first_orders(book))).all())


class Standings(unittest.TestCase):
    def test_the_boundary_day_belongs_to_lapsed(self) -> None:
        """An order exactly N days, or N calendar months, before the as-of date is outside the last N."""
        history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY))
        numbers = tiny.customer_numbers()
        exactly_six_months, exactly_ninety_days = numbers.index("C09"), numbers.index("C07")
        by_months = _standing(history, LapseRule(months=6))
        by_days = _standing(history, LapseRule(days=90))
        self.assertEqual(by_months[exactly_six_months], Standing.LAPSED)
        self.assertEqual(by_days[exactly_ninety_days], Standing.LAPSED)
        self.assertEqual(_standing(history, LapseRule(days=91))[exactly_ninety_days], Standing.ACTIVE)

    def test_an_order_of_the_future_has_not_been_placed_yet(self) -> None:
        history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY))
        found = _standing(history, LapseRule())
        numbers = tiny.customer_numbers()
        self.assertEqual(found[numbers.index("C14")], Standing.NEVER_ORDERED)
        self.assertEqual(found[numbers.index("C04")], Standing.NONE_COUNTED)


class ChecksNotice(unittest.TestCase):
    def table(self) -> CohortTable:
        return cohort_table(read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY)), Period.MONTH)

    def failing(self, checks: Iterable[Check | None]) -> list[str]:
        return [check.claim for check in checks if check is not None and not check.holds]

    def test_every_cell_is_listed_as_it_is_when_it_is_opened(self) -> None:
        matching = HistoryRule(tiny.AS_OF_DAY, where=Comparison("amount", Compare.MORE, Fraction(20)))
        for rule in (HistoryRule(tiny.AS_OF_DAY), matching):
            for period in (Period.MONTH, Period.QUARTER):
                for kind in AgeKind:
                    table, listed = cohort_table(read_history(tiny.book(), rule), period, kind), 0
                    for cohort, age, behind in table.behind_each():
                        opened, listed = table.behind(cohort, age), listed + 1
                        self.assertEqual(behind.orders.tolist(), opened.orders.tolist())
                        self.assertEqual(behind.customers.tolist(), opened.customers.tolist())
                    self.assertEqual(listed, int(table.observed.sum()))

    def test_cells_are_listed_out_of_one_pass_and_between_them_the_work_can_be_stopped(self) -> None:
        table = self.table()
        with mock.patch.object(CohortTable, "behind", autospec=True, side_effect=CohortTable.behind) as opened:
            found = list(check_behind(table))
        cells = int(table.observed.sum())
        self.assertEqual((len(found), found.count(None)), (cells + 1, cells))
        self.assertLessEqual(opened.call_count, cells // 50)

    def test_a_customer_too_many(self) -> None:
        table = self.table()
        table.customers[0, 0] += 1
        self.assertEqual(len(self.failing(check_sizes(table))), 1)
        self.assertEqual(len(self.failing(check_behind(table))), 1)
        table.size[0] += 1
        self.assertEqual(len(self.failing(check_sizes(table))), 2)

    def test_an_order_in_the_wrong_cell(self) -> None:
        table = self.table()
        table.orders[0, 0] -= 1
        table.orders[0, 1] += 1
        self.assertEqual(self.failing(check_totals(table)), [])
        self.assertEqual(self.failing(check_diagonals(table)), ["Diagonals that differ from their period's orders"])
        behind = list(check_behind(table))[-1]
        assert behind is not None
        self.assertEqual((behind.holds, behind.found), (False, 2))

    def test_an_amount_that_is_lost(self) -> None:
        table = self.table()
        table.revenue_minor[0, 0] -= 1
        self.assertEqual(len(self.failing([*check_totals(table), *check_diagonals(table)])), 2)

    def test_a_gap_or_a_customer_that_is_lost(self) -> None:
        history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY))
        gaps = gap_days(history.book)
        gaps[np.flatnonzero(gaps >= 0)[0]] = -1
        self.assertEqual(len(self.failing(check_gaps(history))), 1)
        fewer = replace(history, book=filtered(history.book, history.book.customer != history.book.ordering[0]))
        self.assertEqual(self.failing(check_standing(fewer, LapseRule())), [])
        self.assertEqual(fewer.book.ordering.size, history.book.ordering.size - 1)

    def test_elapsed_tables_have_no_diagonals_to_check(self) -> None:
        table = cohort_table(self.table().history, Period.MONTH, AgeKind.ELAPSED)
        self.assertEqual(check_diagonals(table), [])


def _standing(history: History, lapse: LapseRule) -> NDArray[np.uint8]:
    return standing(history.whole, history.book, history.rule.as_of_day, lapse)


if __name__ == "__main__":
    unittest.main()
