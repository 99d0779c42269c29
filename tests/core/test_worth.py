"""Worth: payback, affordable CAC, bands, spend and concentration, against plain loops over the orders."""

from __future__ import annotations

import math
import unittest
from itertools import product
from unittest.mock import patch

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.periods import CellState, period_of_day
from goldthread.core.choices import AgeKind, Firsts, Period
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.table import CohortCounts, CohortTable, cohort_table, split_table
from goldthread.core.counted import OnList
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.worth import bands
from goldthread.core.worth.acquisition import Cost, NewCustomers, Spend, cac_of_cohorts, cost_of, new_customers
from goldthread.core.worth.arithmetic import Changes, arithmetic, purchase_frequency
from goldthread.core.worth.bands import BUNDLES_MOST, Bundles, Bundling, bundles, intervals
from goldthread.core.worth.compared import compared
from goldthread.core.worth.margins import Margins
from goldthread.core.worth.payback import payback
from goldthread.core.worth.revenue_shares import revenue_shares
from tests.support.parts import GroupsGiven
from tests.support.random_books import AS_OF_DAY, Row, book_of, random_rows

SEEDS = range(4)
CUSTOMERS = 9


def history_of(rows: list[Row], counter_only: bool = False) -> History:
    where = Comparison("source", Compare.EQUAL, "counter") if counter_only else None
    return read_history(book_of(rows), HistoryRule(AS_OF_DAY, where=where, firsts=Firsts.ALL))


def every_cohort(table: CohortTable) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    return np.ones(table.cohort_count, np.bool_)


class ByAge(unittest.TestCase):
    def test_what_customers_had_brought_is_a_sum_over_complete_cohorts(self) -> None:
        for seed, period, kind in product(SEEDS, (Period.MONTH, Period.QUARTER), AgeKind):
            table = cohort_table(history_of(random_rows(seed)), period, kind)
            cac = np.arange(table.cohort_count).astype(np.float64) * 1_000
            found = payback(table, Costs(0.4, cac))
            for age in range(table.age_count):
                rows = [row for row in range(table.cohort_count) if table.complete[row, age]]
                size = sum(int(table.size[row]) for row in rows)
                with self.subTest(seed=seed, period=period, kind=kind, age=age):
                    self.assertEqual(found.customers[age], size)
                    if not size:
                        self.assertTrue(math.isnan(found.affordable_minor[age]))
                        continue
                    revenue = sum(int(table.revenue_minor[row, : age + 1].sum()) for row in rows)
                    spent = sum(cac[row] * int(table.size[row]) for row in rows)
                    self.assertAlmostEqual(found.revenue_minor[age], revenue / size)
                    self.assertAlmostEqual(found.affordable_minor[age], 0.4 * revenue / size)
                    self.assertAlmostEqual(found.profit_minor[age], (0.4 * revenue - spent) / size)

    def test_a_cohort_is_paid_back_at_its_first_complete_age_without_a_loss(self) -> None:
        for seed in SEEDS:
            table = cohort_table(history_of(random_rows(seed)), Period.QUARTER)
            found = payback(table, Costs(1.0, np.full(table.cohort_count, 300_000.0)))
            for row in range(table.cohort_count):
                wanted = None
                for age in range(table.age_count):
                    paid = table.revenue_minor[row, : age + 1].sum() >= 300_000 * table.size[row]
                    if table.state[row, age] == CellState.COMPLETE and table.size[row] and paid:
                        wanted = age
                        break
                self.assertEqual(found.break_even_of(row), wanted)

    def test_margins_by_month_are_those_of_each_order(self) -> None:
        margins = Margins(0.5, ((period_of_day(19_200, Period.MONTH), 0.25), (period_of_day(19_400, Period.MONTH), 0)))
        for seed, counter_only in product(SEEDS, (False, True)):
            rows = random_rows(seed)
            history = history_of(rows, counter_only)
            table = cohort_table(history, Period.MONTH)
            (gross,) = margins.of_cells(table, [table])
            wanted = 0.0
            for row in rows:
                if row.day > AS_OF_DAY or (counter_only and row.source != "counter"):
                    continue
                month = period_of_day(row.day, Period.MONTH)
                wanted += row.amount * [share for first, share in ((0, 0.5), *margins.changes) if month >= first][-1]
            self.assertAlmostEqual(float(gross.sum()), wanted)

    def test_purchase_frequency_is_a_mean_over_complete_periods(self) -> None:
        for seed, counter_only in product(SEEDS, (False, True)):
            rows = [row for row in random_rows(seed) if row.day <= AS_OF_DAY]
            rows = [row for row in rows if not counter_only or row.source == "counter"]
            of_period: dict[int, list[int]] = {}
            for row in rows:
                of_period.setdefault(period_of_day(row.day, Period.MONTH), []).append(row.customer)
            last = period_of_day(AS_OF_DAY, Period.MONTH)
            ratios = [len(who) / len(set(who)) for period, who in of_period.items() if period < last]
            found = purchase_frequency(history_of(random_rows(seed), counter_only), Period.MONTH)
            self.assertAlmostEqual(float(found[0]), sum(ratios) / len(ratios))


class Bands(unittest.TestCase):
    def test_bundles_hold_every_customer_of_the_complete_cohorts_once(self) -> None:
        margins = Margins(0.4), Margins(0.4, ((period_of_day(AS_OF_DAY, Period.MONTH) - 5, 0.7),))
        choices = product(SEEDS, AgeKind, (False, True), margins, (1_000, 3))
        for seed, kind, counter_only, margin, most in choices:
            table = cohort_table(history_of(random_rows(seed), counter_only), Period.MONTH, kind)
            cohorts = np.arange(table.cohort_count) % 3 > 0
            groups = (np.arange(table.history.book.customer_count) % 3).astype(np.uint8)
            parts = [table, *split_table(table, GroupsGiven(groups), 3)]
            gross = margin.of_cells(table, [table])
            with (
                patch.multiple(bands, BUNDLES_MOST=most, BUNDLES_LEAST=1),
                self.subTest(seed=seed, kind=kind, most=most),
            ):
                for masked in (cohorts, every_cohort(table)):
                    (found,) = bundles(table, margin, Bundling(masked))
                    self.check(found, table, masked, gross[0])
                    self.assertLessEqual(found.customers.shape[0], most)
                grouped = bundles(table, Margins(0.4), Bundling(cohorts, groups, 2))
                for each, part in zip(grouped, parts[2:], strict=True):
                    self.check(each, part, cohorts, part.revenue_minor.astype(np.float64) * 0.4)

    def check(
        self, found: Bundles, counts: CohortCounts, cohorts: NDArray[np.bool_], gross: NDArray[np.float64]
    ) -> None:
        counted = counts.complete & cohorts[:, None]
        size = np.where(counted, counts.size[:, None], 0).sum(axis=0)
        np.testing.assert_array_equal(found.customers.sum(axis=0), size)
        sums = np.where(counted, gross.cumsum(axis=1), 0).sum(axis=0)
        np.testing.assert_allclose(found.gross_minor.sum(axis=0), sums, atol=1e-3)

    def test_the_interval_holds_the_mean_and_is_as_wide_as_theory_says(self) -> None:
        draw = np.random.default_rng(3)
        rows = [Row(place, 19_000, int(draw.normal(50_000, 10_000)), "web", "", place) for place in range(3_000)]
        table = cohort_table(read_history(book_of(rows, 3_000), HistoryRule(19_100)), Period.MONTH)
        (found,) = bundles(table, Margins(1.0), Bundling(every_cohort(table)))
        self.assertEqual(found.customers.shape[0], BUNDLES_MOST, "more customers than bundles stand in bundles")
        ((low, high),) = intervals(found)
        amounts = np.array([row.amount for row in rows])
        error = amounts.std() / math.sqrt(amounts.size)
        self.assertLess(low[0], amounts.mean())
        self.assertGreater(high[0], amounts.mean())
        self.assertAlmostEqual((high[0] - low[0]) / (2 * 1.96 * error), 1, delta=0.12)

    def test_two_groups_that_differ_are_told_apart_and_the_same_one_is_not(self) -> None:
        rows = [Row(place, 19_000, 10_000 + place % 7 + 5_000 * (place % 2), "web", "", place) for place in range(400)]
        table = cohort_table(read_history(book_of(rows, 400), HistoryRule(19_100)), Period.MONTH)
        is_odd = np.arange(400) % 2 == 1
        odd, even = OnList.of("odd", is_odd), OnList.of("even", ~is_odd)
        found = compared(table, Margins(0.5), odd, even)
        self.assertAlmostEqual(float(found.difference_minor[0]), 2_500, delta=2)
        self.assertGreater(found.low_minor[0], 2_400)
        self.assertEqual(found.both, 0)
        same = compared(table, Margins(0.5), odd, odd)
        self.assertLess(same.low_minor[0], 0)
        self.assertGreater(same.high_minor[0], 0)
        self.assertEqual((same.both, int(same.one.customers[0])), (200, 200))

    def test_two_groups_are_compared_as_far_as_half_of_each_have_come(self) -> None:
        # customer k is new in month k of a year of thirteen months
        rows = [Row(place, 19_000 + 31 * place, 10_000, "web", "", place) for place in range(13)]
        table = cohort_table(read_history(book_of(rows, 13), HistoryRule(19_000 + 31 * 13)), Period.MONTH)
        early = np.arange(13) < 4
        found = compared(table, Margins(1.0), OnList.of("early", early), OnList.of("late", ~early))
        self.assertEqual(found.other.customers[:6].tolist()[0], 9)
        age = found.age_compared
        assert age is not None
        self.assertGreaterEqual(2 * found.other.customers[age], 9)
        self.assertLess(2 * found.other.customers[age + 1], 9)
        nobody = compared(table, Margins(1.0), OnList.of("early", early), OnList.of("nobody", ~early & early))
        self.assertIsNone(nobody.age_compared)


class Acquisition(unittest.TestCase):
    def test_spend_of_periods_without_new_customers_still_counts_in_all(self) -> None:
        spend = Spend(np.array([10, 10, 12, 13]), ("a", "b", "a", "a"), np.array([500, 700, 900, 300]))
        new = NewCustomers(10, np.array([4, 5, 0]))
        self.assertEqual(cost_of(spend, new, Period.MONTH), Cost(2_400, 4))
        np.testing.assert_array_equal(cac_of_cohorts(spend, new, Period.MONTH, 10, 3), [300, math.nan, math.nan])
        self.assertTrue(np.isnan(cac_of_cohorts(spend, new, Period.WEEK, 10, 3)).all(), "no month fits a week")
        self.assertTrue(math.isnan(Cost(None, 0).cac_minor))
        self.assertEqual(cost_of(spend.of_channel("B"), new, Period.MONTH), Cost(700, 4))

    def test_new_customers_are_counted_by_their_first_order(self) -> None:
        for seed in SEEDS:
            history = history_of(random_rows(seed))
            found = new_customers(history, Period.QUARTER)
            table = cohort_table(history, Period.QUARTER)
            self.assertEqual(found.first, table.first_cohort)
            np.testing.assert_array_equal(found.counts, table.size)


class WhatIf(unittest.TestCase):
    def test_nothing_moved_changes_nothing(self) -> None:
        table = cohort_table(history_of(random_rows(1)), Period.MONTH)
        found = arithmetic(table, Costs(0.4, np.full(table.cohort_count, 5.0)), Cost(None, 0), 5, 1.0)
        changed = found.changed(Changes())
        self.assertAlmostEqual(changed.projected_clv_minor, found.projected_clv_minor)
        np.testing.assert_allclose(changed.profit_minor, found.payback.affordable_minor - 5)

    def test_each_part_moves_what_it_should(self) -> None:
        table = cohort_table(history_of(random_rows(2)), Period.MONTH)
        found = arithmetic(table, Costs(0.4, np.full(table.cohort_count, 5.0)), Cost(None, 0), 5, 1.0)
        rate = found.average_retention_rate
        by_value = found.changed(Changes(order_value=0.1))
        self.assertAlmostEqual(by_value.projected_clv_minor, 1.1 * found.projected_clv_minor)
        by_rate = found.changed(Changes(retention=0.1))
        self.assertAlmostEqual(by_rate.lifespan_periods, 1 / (1 - 1.1 * rate))
        self.assertAlmostEqual(by_rate.profit_minor[0], found.payback.affordable_minor[0] - 5)
        later = found.payback.affordable_minor - found.payback.first_minor
        np.testing.assert_allclose(by_rate.profit_minor, found.payback.affordable_minor + 0.1 * later - 5)
        self.assertAlmostEqual(found.changed(Changes(cac=-0.2)).cac_minor, 4)

    def test_a_lifespan_without_end_is_infinite_and_said(self) -> None:
        rows = [Row(0, 19_000 + 30 * place, 100, "web", "", place) for place in range(8)]
        table = cohort_table(read_history(book_of(rows), HistoryRule(19_211)), Period.MONTH)
        found = arithmetic(table, Costs(1.0, np.zeros(table.cohort_count)), Cost(None, 0), None, 1.0)
        self.assertEqual(found.average_retention_rate, 1)
        self.assertTrue(math.isinf(found.lifespan_periods))
        self.assertTrue(math.isinf(found.projected_clv_minor))
        nothing = arithmetic(table, Costs(0.0, np.zeros(table.cohort_count)), Cost(None, 0), None, 1.0)
        self.assertTrue(math.isnan(nothing.projected_clv_minor), "nothing without end is nothing that can be said")


class Shares(unittest.TestCase):
    def test_the_largest_customers_are_those_of_a_plain_sort(self) -> None:
        for seed, counter_only in product(SEEDS, (False, True)):
            rows = [row for row in random_rows(seed) if row.day <= AS_OF_DAY]
            rows = [row for row in rows if not counter_only or row.source == "counter"]
            brought: dict[int, int] = {}
            for row in rows:
                brought[row.customer] = brought.get(row.customer, 0) + row.amount
            ranked = sorted(brought, key=lambda customer: (-brought[customer], customer))
            found = revenue_shares(history_of(random_rows(seed), counter_only))
            self.assertEqual(found.customers.tolist(), ranked)
            self.assertEqual(found.revenue_minor.tolist(), [brought[customer] for customer in ranked])
            total = sum(brought.values())
            half = next(n for n in range(1, 10) if 2 * sum(brought[c] for c in ranked[:n]) >= total)
            self.assertEqual(found.half_count, half)
            self.assertEqual(found.top_count(1), 1)
            self.assertAlmostEqual(found.share_of(2), sum(brought[c] for c in ranked[:2]) / total)
            behind = found.behind(2)
            self.assertEqual(sorted(behind.customers.tolist()), sorted(ranked[:2]))

    def test_without_revenue_there_is_nothing_to_share(self) -> None:
        found = revenue_shares(read_history(book_of([Row(0, 19_000, 0, "web", "", 0)]), HistoryRule(19_100)))
        self.assertIsNone(found.half_count)
        self.assertTrue(math.isnan(found.share_of(1)))


if __name__ == "__main__":
    unittest.main()
