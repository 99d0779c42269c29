"""What customers have brought by age, what winning one may cost, and when that is paid back (section 9).

All figures at age k rest on the cohorts that are complete at k, weighted by customers.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import Average, CohortFigure
from goldthread.core.cohorts.figures import Costs, FigureTable, figure_table
from goldthread.core.cohorts.table import CohortCounts

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Payback:
    """What some customers have brought by age. Amounts are ten-thousandths of the currency unit, arrays have the shape
    (ages,) and are NaN where no cohort is complete.

    Attributes
    ----------
    counts : what is counted by cohort and age
    profit : profit per customer of each cohort; its averages are those over the cohorts whose CAC is known
    customers : int64, of the cohorts complete at each age
    revenue_minor : float64, revenue per customer up to each age
    affordable_minor : float64, affordable CAC: the same less the cost of goods
    first_minor : float64, the part of it that the first period brought
    cac_minor : what winning one of the customers whose cohort's CAC is known cost; NaN where none is
    small_below : how many customers speak for all
    """

    counts: CohortCounts
    profit: FigureTable
    customers: Int64s
    revenue_minor: Floats
    affordable_minor: Floats
    first_minor: Floats
    cac_minor: float
    small_below: int

    @property
    def profit_minor(self) -> Floats:
        """Profit per customer, over the complete cohorts whose CAC is known; float64, ten-thousandths."""
        return self.profit.averages.values

    @property
    def largest_age(self) -> int | None:
        """The largest age at which the complete cohorts hold `small_below` customers, or any where none holds as many:
        beyond it a handful of customers would speak for all."""
        many = int(self.customers.max(initial=0)) >= self.small_below
        known = np.flatnonzero(self.customers >= (self.small_below if many else 1))
        return int(known[-1]) if known.size else None

    @property
    def break_even_age(self) -> int | None:
        """The smallest age at which the average has paid back what winning one cost; None where it has not yet."""
        return first_at_least_zero(self.profit_minor)

    def break_even_of(self, row: int) -> int | None:
        """The same of one cohort."""
        return first_at_least_zero(np.where(self.counts.complete[row], self.profit.values[row], np.nan))

    def affordable_at(self, age: int) -> float:
        """Affordable CAC at an age; NaN where it is not known yet."""
        return float(self.affordable_minor[age]) if age < self.affordable_minor.size else float("nan")


def first_at_least_zero(values: Floats) -> int | None:
    """The first place of a value that is not below zero; NaN is."""
    with np.errstate(invalid="ignore"):
        there = np.flatnonzero(values >= 0)
    return int(there[0]) if there.size else None


def payback(counts: CohortCounts, costs: Costs) -> Payback:
    """Work out what the customers of a table have brought by age."""
    complete = counts.complete
    size = np.broadcast_to(counts.size[:, None], complete.shape)
    customers = np.where(complete, size, 0).sum(axis=0)
    below = np.where(customers > 0, customers, np.nan)
    gross = costs.gross(counts)

    def per_customer(amounts: NDArray[np.generic]) -> Floats:
        mean: Floats = np.where(complete, amounts, 0).sum(axis=0) / below
        return mean

    won = ~np.isnan(costs.cac_minor) & (counts.size > 0)
    spent = float((costs.cac_minor[won] * counts.size[won]).sum())
    return Payback(
        counts,
        figure_table(counts, CohortFigure.PROFIT_PER_CUSTOMER, Average.WEIGHTED, costs),
        customers.astype(np.int64),
        per_customer(counts.revenue_minor.cumsum(axis=1)),
        per_customer(gross.cumsum(axis=1)),
        per_customer(np.broadcast_to(gross[:, :1], gross.shape)),
        spent / int(counts.size[won].sum()) if won.any() else float("nan"),
        costs.small_below,
    )
