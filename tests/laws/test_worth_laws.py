"""Laws of worth: groups add up, nothing spent at full margin is revenue, another currency changes amounts alone."""

from __future__ import annotations

import unittest
from itertools import product

import numpy as np

from goldthread.core.book.columns import OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.table import cohort_table, split_table
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.worth.acquisition import Cost
from goldthread.core.worth.arithmetic import Arithmetic, arithmetic, purchase_frequency
from goldthread.core.worth.payback import payback
from goldthread.core.worth.revenue_shares import revenue_shares
from tests.support.histories import AS_OF, CUSTOMERS, history_columns, taken
from tests.support.parts import GroupsGiven

SEEDS = range(4)


def history_of(columns: OrderColumns) -> History:
    return read_history(OrderBook.build(columns, np.arange(CUSTOMERS, dtype=np.int64)), HistoryRule(AS_OF))


def arithmetic_of(history: History, cac: float, period: Period = Period.MONTH) -> Arithmetic:
    table = cohort_table(history, period)
    frequency = float(purchase_frequency(history, period)[0])
    return arithmetic(table, Costs(0.5, np.full(table.cohort_count, cac)), Cost(None, 0), round(cac), frequency)


class Laws(unittest.TestCase):
    def test_what_groups_have_brought_adds_up(self) -> None:
        for seed, kind in product(SEEDS, AgeKind):
            table = cohort_table(history_of(history_columns(seed)), Period.MONTH, kind)
            codes = np.random.default_rng(seed).integers(0, 3, CUSTOMERS)
            whole = payback(table, Costs.none(table))
            parts = [payback(each, Costs.none(each)) for each in split_table(table, GroupsGiven(codes), 3)]
            np.testing.assert_array_equal(whole.customers, sum(part.customers for part in parts))
            brought = sum(np.nan_to_num(part.revenue_minor) * part.customers for part in parts)
            np.testing.assert_allclose(brought, np.nan_to_num(whole.revenue_minor) * whole.customers, atol=1e-3)

    def test_at_full_margin_and_no_cost_profit_is_revenue(self) -> None:
        for seed, period in product(SEEDS, (Period.MONTH, Period.QUARTER, Period.YEAR)):
            table = cohort_table(history_of(history_columns(seed)), period)
            found = payback(table, Costs.none(table))
            np.testing.assert_array_equal(found.profit_minor, found.revenue_minor)
            np.testing.assert_array_equal(found.affordable_minor, found.revenue_minor)

    def test_a_currency_a_hundred_times_smaller_changes_amounts_alone(self) -> None:
        for seed in SEEDS:
            columns = history_columns(seed)
            scaled = taken(columns, np.arange(columns.day.size))
            scaled.amount_minor[:] *= 100
            one, other = (arithmetic_of(history_of(each), cac) for each, cac in ((columns, 70.0), (scaled, 7_000.0)))
            self.assertAlmostEqual(other.projected_clv_minor, 100 * one.projected_clv_minor, delta=1)
            self.assertAlmostEqual(other.observed_profit_minor, 100 * one.observed_profit_minor, delta=1)
            for name in ("average_retention_rate", "lifespan_periods", "orders_per_customer", "purchase_frequency"):
                self.assertEqual(getattr(one, name), getattr(other, name), name)
            self.assertEqual(one.payback.break_even_age, other.payback.break_even_age)
            shares = [revenue_shares(history_of(each)) for each in (columns, scaled)]
            self.assertEqual(shares[0].customers.tolist(), shares[1].customers.tolist())
            self.assertEqual(shares[0].half_count, shares[1].half_count)

    def test_neither_the_sequence_of_rows_nor_the_names_of_customers_matter(self) -> None:
        for seed in SEEDS:
            columns = history_columns(seed)
            rows = np.random.default_rng(seed).permutation(columns.day.size)
            renamed = np.random.default_rng(9).permutation(CUSTOMERS).astype(np.int32).take(columns.customer)
            wanted = arithmetic_of(history_of(columns), 70.0)
            for other in (taken(columns, rows), taken(columns, np.arange(rows.size), renamed)):
                found = arithmetic_of(history_of(other), 70.0)
                self.assertEqual(found.projected_clv_minor, wanted.projected_clv_minor)
                np.testing.assert_array_equal(found.payback.profit_minor, wanted.payback.profit_minor)


if __name__ == "__main__":
    unittest.main()
