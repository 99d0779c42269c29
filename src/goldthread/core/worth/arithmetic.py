"""The arithmetic of worth: what is observed, and the shop-floor projection beside it (section 9).

The projection multiplies average order value, orders per customer, lifespan and margin. It assumes that every period
keeps the average retention rate; lifespan is then 1 / churn rate periods.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.periods import period_end, period_of_day
from goldthread.core.book.summing import following
from goldthread.core.choices import Average, CohortFigure, Period
from goldthread.core.cohorts.figures import Costs, figure_table
from goldthread.core.cohorts.table import CohortCounts, GroupsOf
from goldthread.core.history.history import History
from goldthread.core.parts import Together, adds_up
from goldthread.core.threads.gaps import first_orders
from goldthread.core.worth.acquisition import Cost
from goldthread.core.worth.payback import Payback, first_at_least_zero, payback

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Changes:
    """By what fraction parts of the arithmetic are moved: 0.05 is five per cent more."""

    margin: float = 0.0
    cac: float = 0.0
    order_value: float = 0.0
    retention: float = 0.0

    @property
    def any(self) -> bool:
        return any((self.margin, self.cac, self.order_value, self.retention))


@dataclass(frozen=True, eq=False)
class Arithmetic:
    """What some customers are worth. Amounts are ten-thousandths of the currency unit; NaN where undefined.

    ``gross_minor`` : revenue less the cost of goods. ``average_retention_rate`` : over all complete cells of age ≥ 1,
    weighted. ``purchase_frequency`` : orders per customer who ordered in a period, averaged over complete periods.
    ``cost`` : recorded spend and new customers; ``cac_minor`` : from them, or as it is typed.
    """

    orders: int
    customers: int
    revenue_minor: int
    gross_minor: float
    average_retention_rate: float
    purchase_frequency: float
    cost: Cost
    cac_minor: float
    payback: Payback

    @property
    def orders_per_customer(self) -> float:
        return self.orders / self.customers if self.customers else float("nan")

    @property
    def average_order_value_minor(self) -> float:
        return self.revenue_minor / self.orders if self.orders else float("nan")

    @property
    def gross_margin(self) -> float:
        """Weighted by revenue where months differ."""
        return self.gross_minor / self.revenue_minor if self.revenue_minor else float("nan")

    @property
    def average_churn_rate(self) -> float:
        return 1 - self.average_retention_rate

    @property
    def lifespan_periods(self) -> float:
        """1 / churn rate; infinite where nobody ever stayed away."""
        return _lifespan(self.average_retention_rate)

    @property
    def projected_clv_minor(self) -> float:
        """The shop-floor formula; infinite where the lifespan is unbounded."""
        return self._projected(Changes())

    @property
    def observed_profit_minor(self) -> float:
        """Profit per customer at the largest complete age; NaN where CAC is not known."""
        age = self.payback.largest_age
        return float("nan") if age is None else float(self.payback.profit_minor[age])

    @property
    def observed_gross_minor(self) -> float:
        """The same before CAC: what the projection is to be held against."""
        age = self.payback.largest_age
        return float("nan") if age is None else self.payback.affordable_at(age)

    def changed(self, changes: Changes) -> Changed:
        """What moving some parts would do, all else as observed.

        Those who come back more often are taken to bring as much each time as others do: what came after the first
        period grows with the retention rate. Break-even is that of the average over all cohorts.
        """
        later = self.payback.affordable_minor - self.payback.first_minor
        grown = (self.payback.first_minor + later * (1 + changes.retention)) * (
            (1 + changes.order_value) * (1 + changes.margin)
        )
        cac = self.cac_minor * (1 + changes.cac)
        return Changed(
            self.gross_margin * (1 + changes.margin),
            cac,
            self.average_order_value_minor * (1 + changes.order_value),
            self.average_retention_rate * (1 + changes.retention),
            self._projected(changes),
            grown - cac,
        )

    def _projected(self, changes: Changes) -> float:
        life = _lifespan(self.average_retention_rate * (1 + changes.retention))
        each = self.average_order_value_minor * (1 + changes.order_value) * self.gross_margin * (1 + changes.margin)
        each *= self.orders_per_customer
        return float("nan") if each == 0 and np.isinf(life) else each * life


@dataclass(frozen=True, eq=False)
class Changed:
    """The arithmetic with some parts moved. ``profit_minor`` : float64, shape (ages,), profit per customer by age."""

    gross_margin: float
    cac_minor: float
    average_order_value_minor: float
    average_retention_rate: float
    projected_clv_minor: float
    profit_minor: Floats

    @property
    def lifespan_periods(self) -> float:
        return _lifespan(self.average_retention_rate)

    @property
    def break_even_age(self) -> int | None:
        return first_at_least_zero(self.profit_minor)


def _lifespan(retention: float) -> float:
    if np.isnan(retention):
        return retention
    return 1 / (1 - retention) if retention < 1 else float("inf")


def arithmetic(
    counts: CohortCounts, costs: Costs, cost: Cost, typed_cac_minor: int | None, frequency: float
) -> Arithmetic:
    """The arithmetic of the customers of a table. ``typed_cac_minor`` stands in for recorded spend."""
    retention = figure_table(counts, CohortFigure.RETENTION, Average.WEIGHTED, costs).averages.overall
    return Arithmetic(
        int(counts.orders.sum()),
        int(counts.size.sum()),
        int(counts.revenue_minor.sum()),
        float(costs.gross(counts).sum()),
        retention,
        frequency,
        cost,
        cost.cac_minor if typed_cac_minor is None else float(typed_cac_minor),
        payback(counts, costs),
    )


def purchase_frequency(history: History, period: Period, of: GroupsOf | None = None, groups: int = 1) -> Floats:
    """Orders per customer who ordered in a period, the plain mean over the complete periods with orders; float64, shape
    (groups,), NaN without one. All customers are one group without ``of``."""
    return bought_by_period(history, period, of, groups).mean_orders(period, history.rule.as_of_day)


@dataclass(frozen=True, eq=False)
class BoughtByPeriod:
    """Orders, and distinct customers, of each group by period; int64, shape (groups, periods). ``first`` : index of the
    first period."""

    first: int
    orders: Int64s
    customers: Int64s

    def __add__(self, other: BoughtByPeriod) -> BoughtByPeriod:
        """The same question of two parts of a book."""
        on = Together.by_period(*((each.first, each.orders.shape[1]) for each in (self, other)))
        orders, customers = on.of(self.orders, other.orders, axis=1), on.of(self.customers, other.customers, axis=1)
        return BoughtByPeriod(on.first, orders, customers)

    def mean_orders(self, period: Period, as_of_day: int) -> Floats:
        """Orders by customer, the mean over the periods that are complete and have orders; float64, shape (groups,)."""
        complete = period_end(self.first + np.arange(self.orders.shape[1]), period) <= as_of_day
        counted = complete & (self.customers > 0)
        ratio = np.where(counted, self.orders / np.maximum(self.customers, 1), 0.0).sum(axis=1)
        mean: Floats = ratio / np.where(counted.any(axis=1), counted.sum(axis=1), np.nan)
        return mean


@adds_up
def bought_by_period(history: History, period: Period, of: GroupsOf | None, groups: int) -> BoughtByPeriod:
    """Count orders and customers of each group by period; all customers are one group without ``of``."""
    book = history.book
    if book.order_count == 0:
        nothing = np.zeros((groups, 0), np.int64)
        return BoughtByPeriod(0, nothing, nothing)
    first, periods = book.period(period)
    count = period_of_day(history.rule.as_of_day, period) - first + 1
    own = periods.astype(np.int64)
    if of is not None:
        own += np.repeat(of(history).astype(np.int64) * count, book.counts)
    again = following(own, first_orders(book))
    shown = history.shown
    if shown is not None:
        kept = np.flatnonzero(shown)
        own, who = own.take(kept), book.customer.take(kept)
        again = np.flatnonzero((own[1:] == own[:-1]) & (who[1:] == who[:-1])) + 1
    orders = np.bincount(own, minlength=groups * count).reshape(groups, count)
    customers = orders - np.bincount(own.take(again), minlength=groups * count).reshape(groups, count)
    return BoughtByPeriod(first, orders, customers)
