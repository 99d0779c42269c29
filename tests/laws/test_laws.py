"""Laws that hold over all figures of the cohort table, on random histories."""

from __future__ import annotations

import datetime as dt
import unittest
from collections import defaultdict
from dataclasses import replace

import numpy as np

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.checks import check_all
from goldthread.core.choices import CALENDAR_PERIODS, SMALL_BELOW, AgeKind, Average, CohortFigure, Period
from goldthread.core.cohorts.figures import Costs, FigureAverages, figure_table
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.core.history.facts import first_day, latest_day
from goldthread.core.history.history import HistoryRule, counting, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.records import OrderStatus
from goldthread.core.threads.gaps import average_gap_days, first_days, gap_days, rank
from tests.support.columns import number_keys
from tests.support.histories import AS_OF, CUSTOMERS, STATUSES, history_columns, table_of, taken

QUESTIONS = [(period, ages) for period in CALENDAR_PERIODS for ages in AgeKind]


def cells(table: CohortTable) -> dict[tuple[str, int], tuple[int, int, int]]:
    """Every observed cell by cohort and age."""
    labels = table.labels
    return {
        (labels[row], int(age)): (
            int(table.customers[row, age]),
            int(table.orders[row, age]),
            int(table.revenue_minor[row, age]),
        )
        for row, age in np.argwhere(table.observed)
    }


def plain_count(columns: OrderColumns, period: Period, ages: AgeKind) -> dict[tuple[str, int], tuple[int, int, int]]:
    """The table counted the slow way, order by order, from the definition."""
    lengths = {Period.WEEK: 7, Period.MONTH: 30, Period.QUARTER: 91, Period.YEAR: 365}
    counted = [
        (int(columns.customer[at]), int(columns.day[at]), int(columns.amount_minor[at]))
        for at in range(columns.day.size)
        if columns.day[at] <= AS_OF and STATUSES[columns.attributes["status"].codes[at]] != "cancelled"
    ]
    first: dict[int, int] = {}
    for customer, day, _ in counted:
        first[customer] = min(day, first.get(customer, day))
    found: dict[tuple[int, int], list[tuple[int, int]]] = defaultdict(list)
    for customer, day, amount in counted:
        cohort = _index(_date(first[customer]), period)
        if ages is AgeKind.CALENDAR:
            age = _index(_date(day), period) - cohort
        else:
            age = (day - first[customer]) // lengths[period]
        found[cohort, age].append((customer, amount))
    return {
        (_iso_label(cohort, period, first), age): (
            len({customer for customer, _ in orders}),
            len(orders),
            sum(amount for _, amount in orders),
        )
        for (cohort, age), orders in found.items()
    }


def _date(day: int) -> dt.date:
    return dt.date(1970, 1, 1) + dt.timedelta(day)


def _index(date: dt.date, period: Period) -> int:
    """How many whole periods lie before a date, by the calendar of the standard library: day 1 was a Monday."""
    return {
        Period.WEEK: (date.toordinal() - 1) // 7,
        Period.MONTH: date.year * 12 + date.month - 1,
        Period.QUARTER: date.year * 4 + (date.month - 1) // 3,
        Period.YEAR: date.year,
    }[period]


def _iso_label(cohort: int, period: Period, first: dict[int, int]) -> str:
    day = next(_date(day) for day in first.values() if _index(_date(day), period) == cohort)
    if period is Period.WEEK:
        return f"{day.isocalendar().year}-W{day.isocalendar().week:02d}"
    return {
        Period.MONTH: f"{day:%Y-%m}",
        Period.QUARTER: f"{day.year}-Q{(day.month + 2) // 3}",
        Period.YEAR: f"{day.year}",
    }[period]


def averages_of(table: CohortTable, average: Average) -> FigureAverages:
    return figure_table(table, CohortFigure.RETENTION, average, Costs.none(table)).averages


class Laws(unittest.TestCase):
    def each(self) -> list[tuple[int, Period, AgeKind]]:
        return [(seed, period, ages) for seed in range(4) for period, ages in QUESTIONS]

    def test_the_table_is_what_counting_by_hand_gives(self) -> None:
        for seed, period, ages in self.each():
            columns = history_columns(seed)
            by_hand = plain_count(columns, period, ages)
            counted = {
                place: figures for place, figures in cells(table_of(columns, period, ages)).items() if figures[1]
            }
            with self.subTest(seed=seed, period=period, ages=ages):
                self.assertEqual(counted, by_hand)

    def test_every_identity_of_the_definitions_holds(self) -> None:
        for seed, period, ages in self.each():
            for check in check_all(table_of(history_columns(seed), period, ages), LapseRule()):
                with self.subTest(seed=seed, period=period, ages=ages, claim=check.claim):
                    self.assertEqual(check.found, check.expected)

    def test_the_sequence_of_the_rows_does_not_matter(self) -> None:
        for seed, period, ages in self.each():
            columns = history_columns(seed)
            shuffled = taken(columns, np.random.default_rng(seed + 99).permutation(columns.day.size))
            with self.subTest(seed=seed, period=period, ages=ages):
                self.assertEqual(cells(table_of(shuffled, period, ages)), cells(table_of(columns, period, ages)))

    def test_the_names_of_the_customers_do_not_matter(self) -> None:
        for seed, period, ages in self.each():
            columns = history_columns(seed)
            renamed = np.random.default_rng(seed).permutation(CUSTOMERS).astype(np.int32).take(columns.customer)
            other = taken(columns, np.arange(columns.day.size), renamed)
            with self.subTest(seed=seed, period=period, ages=ages):
                self.assertEqual(cells(table_of(other, period, ages)), cells(table_of(columns, period, ages)))

    def test_tables_of_disjoint_customers_add_up(self) -> None:
        """The road to a book that is split: every figure of the whole is the sum of its parts'."""
        for seed, period, ages in self.each():
            columns = history_columns(seed)
            total: dict[tuple[str, int], np.ndarray[tuple[int, ...], np.dtype[np.int64]]] = {}
            for part in (columns.customer < 11, columns.customer >= 11):
                some = taken(columns, np.flatnonzero(part))
                for place, figures in cells(table_of(some, period, ages)).items():
                    total[place] = total.get(place, np.zeros(3, np.int64)) + np.array(figures)
            summed = {place: tuple(figures.tolist()) for place, figures in total.items() if figures[1]}
            whole = {place: figures for place, figures in cells(table_of(columns, period, ages)).items() if figures[1]}
            with self.subTest(seed=seed, period=period, ages=ages):
                self.assertEqual(summed, whole)

    def test_moving_all_dates_by_whole_weeks_moves_the_weeks_and_nothing_else(self) -> None:
        for seed in range(4):
            columns = history_columns(seed)
            moved = replace(columns, day=columns.day + np.int32(7 * 52))
            for ages in AgeKind:
                before = table_of(columns, Period.WEEK, ages)
                after = table_of(moved, Period.WEEK, ages, AS_OF + 7 * 52)
                with self.subTest(seed=seed, ages=ages):
                    self.assertEqual(after.first_cohort - before.first_cohort, 52)
                    for name in ("customers", "orders", "revenue_minor", "state"):
                        np.testing.assert_array_equal(getattr(after, name), getattr(before, name))

    def test_an_order_after_the_as_of_date_changes_no_figure(self) -> None:
        for seed, period, ages in self.each():
            columns = history_columns(seed)
            known = taken(columns, np.flatnonzero(columns.day <= AS_OF))
            with self.subTest(seed=seed, period=period, ages=ages):
                self.assertEqual(cells(table_of(known, period, ages)), cells(table_of(columns, period, ages)))

    def test_what_is_kept_with_a_book_answers_for_every_as_of_date(self) -> None:
        """A later as-of date adds ages; the same book asked before under an earlier one must not remember those."""
        for seed, period, ages in self.each():
            columns = taken(history_columns(seed), np.flatnonzero(history_columns(seed).day <= AS_OF))
            shared = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
            for later in (0, 400, 40):
                rule = HistoryRule(AS_OF + later, frozenset(OrderStatus))
                found = cohort_table(read_history(shared, rule), period, ages)
                book = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
                fresh = cohort_table(read_history(book, rule), period, ages)
                with self.subTest(seed=seed, period=period, ages=ages, later=later):
                    for name in ("customers", "orders", "still_buying", "came_back_by"):
                        np.testing.assert_array_equal(getattr(found, name), getattr(fresh, name), name)

    def test_threads_that_end_at_a_day_are_counted_like_threads_that_were_never_longer(self) -> None:
        """The longer threads are asked first, so that what they remember is cut and not what is counted."""
        tables = ("size", "customers", "orders", "revenue_minor", "state", "still_buying", "came_back_by")
        for seed, period, ages in self.each():
            columns = history_columns(seed, 400 if seed else 30)
            shared = OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64))
            longest = HistoryRule(AS_OF + 40)
            counted = counting(shared, longest)
            cohort_table(read_history(shared, longest, counted=counted), period, ages)
            for earlier in (0, 3, 90, 300, 600, 699, 720):
                rule = HistoryRule(AS_OF - earlier)
                short = read_history(shared, rule, counted=counted)
                known = taken(columns, np.flatnonzero(columns.day <= rule.as_of_day))
                never = read_history(OrderBook.build(known, np.arange(CUSTOMERS, dtype=np.int64)), rule)
                one, other = (cohort_table(each, period, ages) for each in (short, never))
                with self.subTest(seed=seed, period=period, ages=ages, earlier=earlier):
                    self.assertEqual(short.book.day_span, never.book.day_span)
                    for name in tables:
                        np.testing.assert_array_equal(getattr(one, name), getattr(other, name), name)
                    for made in (first_days, rank, gap_days, average_gap_days, first_day, latest_day):
                        np.testing.assert_array_equal(made(short.book), made(never.book), made.__name__)

    def test_averages_rest_on_complete_cells_alone(self) -> None:
        for seed, period, ages in self.each():
            table = table_of(history_columns(seed), period, ages)
            weighted, plain = (averages_of(table, average) for average in (Average.WEIGHTED, Average.PLAIN))
            for age in range(table.age_count):
                rows = np.flatnonzero(table.complete[:, age])
                with self.subTest(seed=seed, period=period, ages=ages, age=age):
                    self.assertEqual(int(weighted.cohorts[age]), rows.size)
                    if rows.size == 0:
                        self.assertTrue(np.isnan(weighted.values[age]) and np.isnan(plain.values[age]))
                        continue
                    came, size = table.customers[rows, age], table.size[rows]
                    self.assertAlmostEqual(weighted.values[age], came.sum() / size.sum())
                    self.assertAlmostEqual(plain.values[age], float(np.mean(came / size)))
                    self.assertLessEqual(weighted.low[age], weighted.values[age] + 1e-12)
                    self.assertGreaterEqual(weighted.high[age], weighted.values[age] - 1e-12)

    def test_what_stands_behind_several_cells_is_their_union(self) -> None:
        for seed in range(4):
            table = table_of(history_columns(seed), Period.MONTH, AgeKind.CALENDAR)
            wanted = np.zeros(table.customers.shape, np.bool_)
            wanted[:, 2] = table.complete[:, 2]
            together = table.behind_cells(wanted)
            parts = [table.behind(int(row), 2) for row in np.flatnonzero(wanted[:, 2])]
            self.assertEqual(sorted(together.orders), sorted(o for part in parts for o in part.orders))
            self.assertEqual(sorted(together.customers), sorted(c for part in parts for c in part.customers))

    def test_odd_cells_are_those_far_from_their_columns_average(self) -> None:
        """Ten cohorts of sixty; a fifth comes back after two months, of the fifth cohort four in five."""
        rows = []
        for cohort in range(10):
            for customer in range(60):
                rows.append((cohort * 60 + customer, cohort * 31))
                if customer < (48 if cohort == 4 else 12):
                    rows.append((cohort * 60 + customer, cohort * 31 + 62))
        columns = OrderColumns(
            customer=np.array([row[0] for row in rows], np.int32),
            day=np.array([row[1] for row in rows], np.int32) + np.int32(AS_OF - 600),
            amount_minor=np.ones(len(rows), np.int64),
            order_id=np.arange(len(rows), dtype=np.int64),
            attributes={
                "source": Attribute(np.zeros(len(rows), np.uint16), ("web",)),
                "status": Attribute(np.zeros(len(rows), np.uint16), ("paid",)),
            },
            number_key=number_keys([str(at) for at in range(len(rows))]),
        )
        table = table_of(columns, Period.MONTH, AgeKind.ELAPSED, customers=600)
        for average in Average:
            with self.subTest(average=average):
                figure = figure_table(table, CohortFigure.RETENTION, average, Costs.none(table))
                odd = figure.odd
                self.assertEqual([age for _, age in np.argwhere(odd)], [2])
                row = int(np.argwhere(odd)[0, 0])
                self.assertAlmostEqual(figure.values[row, 2], 0.8)
                self.assertTrue(figure.low[row, 2] < 0.8 < figure.high[row, 2])
                self.assertFalse(table.small(SMALL_BELOW).any())


if __name__ == "__main__":
    unittest.main()
