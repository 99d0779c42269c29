"""Every figure of the cohort table beside its definition worked out by hand; splits, intervals, outliers."""

from __future__ import annotations

import math
import unittest
from collections.abc import Callable

import numpy as np

from goldthread.core.book.periods import elapsed_days, period_of_day
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Average, CohortFigure, Firsts, Period
from goldthread.core.cohorts.concentration import concentrations
from goldthread.core.cohorts.figures import Costs, difference, figure_table
from goldthread.core.cohorts.outliers import cohorts_apart
from goldthread.core.cohorts.split import (
    bought_once,
    customer_groups,
    split_fields,
)
from goldthread.core.cohorts.table import CohortTable, cohort_table, split_table
from goldthread.core.counted import Counted
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.intervals import difference_interval
from goldthread.errors import InvalidInput, TooLarge
from tests.support.random_books import AS_OF_DAY, FIRST_DAY, Row, book_of, random_rows, threads_of

COUNTER = Comparison("source", Compare.EQUAL, "counter")
MARGIN, CAC = 0.4, 25_000.0


def age_of(day: int, first: int, period: Period, kind: AgeKind) -> int:
    if kind is AgeKind.CALENDAR:
        return period_of_day(day, period) - period_of_day(first, period)
    return (day - first) // elapsed_days(period)


class ByHand:
    """The orders of each cohort's customers by age, as a person would lay them out."""

    def __init__(self, rows: list[Row], period: Period, kind: AgeKind, counter_only: bool) -> None:
        self.members: dict[int, list[list[tuple[int, int]]]] = {}
        for thread in threads_of(rows):
            if not thread:
                continue
            orders = [
                (age_of(row.day, thread[0].day, period, kind), row.amount)
                for row in thread
                if not counter_only or row.source == "counter"
            ]
            self.members.setdefault(period_of_day(thread[0].day, period), []).append(orders)

    def value(self, figure: CohortFigure, cohort: int, age: int, last: int) -> float:
        """One cell; ``last`` is the last age that has begun."""
        members = self.members[cohort]
        size = len(members)

        def those(test: Callable[[int], bool]) -> int:
            return sum(any(test(each) for each, _ in orders) for orders in members)

        amounts = [amount for orders in members for each, amount in orders if each == age]
        to_date = sum(amount for orders in members for each, amount in orders if each <= age)
        first = sum(amount for orders in members for each, amount in orders if each == 0)
        match figure:
            case CohortFigure.RETENTION:
                return those(lambda each: each == age) / size
            case CohortFigure.CHURN:
                return 1 - those(lambda each: each == age) / size
            case CohortFigure.STILL_BUYING:
                return those(lambda each: age <= each <= last) / size
            case CohortFigure.CAME_BACK:
                return those(lambda each: 1 <= each <= age) / size
            case CohortFigure.CUSTOMERS:
                return those(lambda each: each == age)
            case CohortFigure.ORDERS:
                return len(amounts)
            case CohortFigure.REVENUE:
                return sum(amounts)
            case CohortFigure.AVERAGE_ORDER_VALUE:
                return sum(amounts) / len(amounts) if amounts else math.nan
            case CohortFigure.REVENUE_PER_CUSTOMER:
                return to_date / size
            case CohortFigure.PROFIT_PER_CUSTOMER:
                return MARGIN * to_date / size - CAC
            case CohortFigure.REVENUE_RETENTION:
                return sum(amounts) / first if first > 0 else math.nan


def read(rows: list[Row], counter_only: bool = False) -> History:
    where = COUNTER if counter_only else None
    return read_history(book_of(rows), HistoryRule(AS_OF_DAY, where=where, firsts=Firsts.ALL))


def costs_of(table: CohortTable) -> Costs:
    return Costs(MARGIN, np.full(table.cohort_count, CAC))


class Figures(unittest.TestCase):
    def test_every_figure_is_its_definition(self) -> None:
        for seed in range(4):
            rows = random_rows(seed)
            for period in CALENDAR_PERIODS:
                for kind in AgeKind:
                    for counter_only in (False, True):
                        self.compare(rows, period, kind, counter_only)

    def compare(self, rows: list[Row], period: Period, kind: AgeKind, counter_only: bool) -> None:
        table = cohort_table(read(rows, counter_only), period, kind)
        by_hand = ByHand(rows, period, kind, counter_only)
        for figure in CohortFigure:
            found = figure_table(table, figure, Average.WEIGHTED, costs_of(table))
            with self.subTest(period=period, kind=kind, counter_only=counter_only, figure=figure):
                for row in range(table.cohort_count):
                    seen = int(table.observed[row].sum())
                    for age in range(seen):
                        wanted = by_hand.value(figure, table.first_cohort + row, age, seen - 1)
                        self.assertTrue(
                            np.isclose(found.values[row, age], wanted, equal_nan=True),
                            (row, age, found.values[row, age], wanted),
                        )
                    self.assertTrue(np.isnan(found.values[row, seen:]).all())

    def test_averages_are_ratios_of_sums_or_means_of_ratios_over_complete_cells(self) -> None:
        for seed in range(4):
            table = cohort_table(read(random_rows(seed, customers=9, orders=80)), Period.QUARTER)
            for figure in set(CohortFigure) - {CohortFigure.CUSTOMERS, CohortFigure.ORDERS, CohortFigure.REVENUE}:
                values = figure_table(table, figure, Average.PLAIN, costs_of(table)).values
                plain = figure_table(table, figure, Average.PLAIN, costs_of(table)).averages
                for age in range(table.age_count):
                    own = values[table.complete[:, age], age]
                    own = own[~np.isnan(own)]
                    with self.subTest(seed=seed, figure=figure, age=age):
                        wanted = float(own.mean()) if own.size else math.nan
                        self.assertTrue(np.isclose(plain.values[age], wanted, equal_nan=True))
            churn = figure_table(table, CohortFigure.CHURN, Average.WEIGHTED, costs_of(table)).averages
            kept = figure_table(table, CohortFigure.RETENTION, Average.WEIGHTED, costs_of(table)).averages
            np.testing.assert_allclose(churn.values, 1 - kept.values)
            self.assertAlmostEqual(churn.overall, 1 - kept.overall)
            spent = figure_table(table, CohortFigure.AVERAGE_ORDER_VALUE, Average.WEIGHTED, costs_of(table)).averages
            inside = table.complete[:, 1]
            if table.orders[inside, 1].sum():
                ratio = table.revenue_minor[inside, 1].sum() / table.orders[inside, 1].sum()
                self.assertAlmostEqual(spent.values[1], ratio)

    def test_a_cohort_without_recorded_spend_has_no_profit(self) -> None:
        table = cohort_table(read(random_rows(1)), Period.YEAR)
        cac = np.full(table.cohort_count, math.nan)
        cac[0] = CAC
        found = figure_table(table, CohortFigure.PROFIT_PER_CUSTOMER, Average.WEIGHTED, Costs(MARGIN, cac))
        self.assertFalse(np.isnan(found.values[0, 0]))
        self.assertTrue(np.isnan(found.values[1:]).all())
        self.assertEqual(found.averages.cohorts[0], 1)

    def test_who_came_back_is_counted_once_however_often(self) -> None:
        for seed in range(6):
            rows = random_rows(seed)
            table = cohort_table(read(rows), Period.MONTH)
            by_hand = ByHand(rows, Period.MONTH, AgeKind.CALENDAR, counter_only=False)
            for row in range(table.cohort_count):
                members = by_hand.members.get(table.first_cohort + row, [])
                back = sum(any(age >= 1 for age, _ in orders) for orders in members)
                self.assertEqual(table.came_back[row], back)
            self.assertLessEqual(table.came_back.sum(), table.customers[:, 1:].sum())

    def test_an_empty_book_has_no_figures(self) -> None:
        table = cohort_table(read([]), Period.MONTH)
        found = figure_table(table, CohortFigure.STILL_BUYING, Average.WEIGHTED, Costs.none(table))
        self.assertEqual((found.values.size, found.averages.cells), (0, 0))
        self.assertEqual(len(split_table(table, lambda _: np.zeros(9, np.int64), 2)), 2)


class Splits(unittest.TestCase):
    def test_groups_add_up_and_each_is_the_book_of_its_own_customers(self) -> None:
        for seed in range(4):
            rows = random_rows(seed)
            for counter_only in (False, True):
                history = read(rows, counter_only)
                for kind in AgeKind:
                    table = cohort_table(history, Period.MONTH, kind)
                    groups = customer_groups(history, "region")
                    parts = split_table(table, groups.of, groups.count)
                    with self.subTest(seed=seed, kind=kind, counter_only=counter_only):
                        for name in ("size", "customers", "orders", "revenue_minor", "still_buying", "came_back_by"):
                            whole = sum(getattr(part, name) for part in parts)
                            np.testing.assert_array_equal(whole, getattr(table, name), name)
                        self.compare_alone(rows, history, parts[0].customers, groups.codes == 0, kind, table)

    def compare_alone(
        self,
        rows: list[Row],
        history: History,
        customers: np.ndarray,
        among: np.ndarray,
        kind: AgeKind,
        table: CohortTable,
    ) -> None:
        alone = cohort_table(read_history(book_of(rows), history.rule, among), Period.MONTH, kind)
        row = alone.first_cohort - table.first_cohort
        height, width = alone.customers.shape
        np.testing.assert_array_equal(customers[row : row + height, :width], alone.customers)

    def test_the_most_frequent_labels_come_first_and_the_rest_stand_together(self) -> None:
        history = read(random_rows(3))
        for name in ("region", "first_source", "first_rep", "first_category", "standing"):
            groups = customer_groups(history, name)
            sizes = np.bincount(groups.codes.take(history.book.ordering), minlength=groups.count)
            with self.subTest(name=name):
                self.assertEqual(sorted(sizes, reverse=True), sizes.tolist())
                self.assertEqual(int(sizes.sum()), history.book.ordering.size)
        together = customer_groups(history, "region", most=2)
        self.assertEqual((together.count, together.merged, together.labels[1]), (2, 2, "2 others"))
        self.assertIn("blank", customer_groups(history, "region").labels)

    def test_first_amounts_are_split_into_bands_that_hold_them(self) -> None:
        history = read(random_rows(5, customers=9, orders=70))
        groups = customer_groups(history, "first_amount")
        amounts = history.fields.values("first_amount")
        self.assertTrue(2 <= groups.count <= 4)
        ends = [int(amounts.values[groups.codes == at].max()) for at in np.unique(groups.codes)]  # type: ignore[union-attr]
        self.assertEqual(ends, sorted(ends))
        self.assertTrue(groups.labels[0].startswith("under "))
        self.assertTrue(groups.labels[-1].endswith(" and more"))

    def test_what_does_not_tell_customers_apart_is_told(self) -> None:
        history = read(random_rows(3))
        known = {field.name for field in split_fields(history.fields)}
        self.assertLessEqual({"region", "first_source", "first_channel", "first_rep", "first_amount"}, known)
        for name in ("date", "source", "revenue", "moon", ""):
            with self.subTest(name=name), self.assertRaises(InvalidInput) as told:
                customer_groups(history, name)
            self.assertEqual(told.exception.field, "split")
        table = cohort_table(history, Period.WEEK)
        with self.assertRaises(TooLarge):
            split_table(table, lambda _: np.zeros(9, np.int64), 4_000_000)

    def test_buying_once_is_counted_by_group(self) -> None:
        rows = [Row(customer, FIRST_DAY + customer, 100, "counter", "", customer) for customer in range(6)]
        rows += [Row(customer, FIRST_DAY + 90, 100, "web", "", 10 + customer) for customer in range(2)]
        history = read(rows)
        groups = customer_groups(history, "first_source")
        found = bought_once(history, groups.of, groups.count)
        self.assertEqual((found.ordered.tolist(), found.once.tolist()), ([6], [4]))


class Intervals(unittest.TestCase):
    def test_a_difference_is_that_of_the_published_example(self) -> None:
        """Newcombe (1998), table II, example a: 56/70 and 48/80 give 0.0524 to 0.3339 by method 10."""
        sample = [np.array([value]) for value in (56, 70, 48, 80)]
        apart, low, high = difference_interval(*sample)
        self.assertAlmostEqual(apart[0], 0.2)
        self.assertAlmostEqual(low[0], 0.0524, 4)
        self.assertAlmostEqual(high[0], 0.3339, 4)

    def test_two_groups_differ_by_the_opposite_of_what_the_other_does(self) -> None:
        history = read(random_rows(2))
        table = cohort_table(history, Period.QUARTER)
        one, other, *_ = split_table(table, customer_groups(history, "region").of, 3)
        there = difference(CohortFigure.RETENTION, one, other)
        back = difference(CohortFigure.RETENTION, other, one)
        churned = difference(CohortFigure.CHURN, one, other)
        np.testing.assert_allclose(there.difference, -back.difference)
        np.testing.assert_allclose(there.low, -back.high)
        np.testing.assert_allclose(churned.difference, -there.difference, atol=1e-12)
        np.testing.assert_allclose(churned.low, -there.high, atol=1e-12)
        self.assertTrue(np.isnan(difference(CohortFigure.ORDERS, one, other).difference).all())


class SecondLook(unittest.TestCase):
    def rows(self, coming_back: dict[int, int], day: int = 45, source: str = "web") -> list[Row]:
        """Eight cohorts of sixty, 31 days apart; so many of each come back after so many days."""
        rows: list[Row] = []
        for cohort in range(8):
            for place in range(60):
                customer = cohort * 60 + place
                first = FIRST_DAY + cohort * 31
                rows.append(Row(customer, first, 100, "counter", "", len(rows)))
                if place < coming_back.get(cohort, 20):
                    odd = cohort in coming_back
                    late = day if odd else 40 + place % 15
                    rows.append(Row(customer, first + late, 100, source if odd else "counter", "", len(rows)))
        return rows

    def table(self, coming_back: dict[int, int]) -> CohortTable:
        book = book_of(self.rows(coming_back), customers=480)
        return cohort_table(read_history(book, HistoryRule(AS_OF_DAY)), Period.MONTH, AgeKind.ELAPSED)

    def test_a_cohort_unlike_its_neighbours_is_found_and_no_other_far_from_it(self) -> None:
        table = self.table({3: 55})
        odd = [found for found in cohorts_apart(table) if found.share > 0.9]
        self.assertEqual(len(odd), 1)
        self.assertEqual(int(table.size[odd[0].row]), 60)
        self.assertAlmostEqual(odd[0].share, 55 / 60)
        self.assertAlmostEqual(odd[0].neighbours_share, 1 / 3, 1)
        self.assertEqual(cohorts_apart(self.table({})), [])

    def cell(self, table: CohortTable, row: int) -> Counted:
        return Counted.of_table(table.history, table, row, 1)

    def test_what_the_orders_of_a_cell_crowd_in_is_named(self) -> None:
        table = self.table({3: 50})
        row = next(each.row for each in cohorts_apart(table) if each.share > 0.8)
        found = {each.field: each for each in concentrations(table, self.cell(table, row), row, 1)}
        self.assertEqual((found["source"].label, found["source"].customers, found["source"].of), ("web", 50, 50))
        self.assertEqual(found["source"].expected_share, 0.0)
        self.assertEqual(found["day"].customers, 50)
        plain = next(at for at in range(table.cohort_count) if table.size[at] and at != row)
        self.assertNotIn("source", {each.field for each in concentrations(table, self.cell(table, plain), plain, 1)})


if __name__ == "__main__":
    unittest.main()
