"""The figures of the cohort table (``docs/definitions.md``, section 5): values, intervals, averages, what is odd.

Every figure but the plain counts is a ratio of two things that add up over cohorts, so that an average weighted by
customers is the ratio of the sums, and a plain one the mean of the ratios, both over complete cells only.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import SMALL_BELOW, Average, CohortFigure
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.intervals import Floats, difference_interval, plain_mean_interval, wilson_interval

Int64s = NDArray[np.int64]
ODD_STANDARD_ERRORS = 3.0
ODD_SHARE = 0.05


COUNTS = frozenset({CohortFigure.CUSTOMERS, CohortFigure.ORDERS, CohortFigure.REVENUE})
"""Figures that are totalled over cohorts; all others are averaged."""
OF_CUSTOMERS = frozenset(
    {CohortFigure.RETENTION, CohortFigure.CHURN, CohortFigure.STILL_BUYING, CohortFigure.CAME_BACK}
)
"""Shares of a cohort's customers: these carry an interval, and can be odd."""
AT_EACH_AGE = frozenset(
    {
        CohortFigure.RETENTION,
        CohortFigure.CHURN,
        CohortFigure.AVERAGE_ORDER_VALUE,
        CohortFigure.REVENUE_RETENTION,
    }
)
"""Figures that speak of one age alone, so that an average over all ages says something."""


@dataclass(frozen=True, eq=False)
class Costs:
    """What profit needs. ``margin_share`` : gross margin, 0 … 1. ``cac_minor`` : cost of winning one customer of each
    cohort in ten-thousandths of the currency unit, float64, shape (cohorts,), NaN where no spend is recorded.
    ``gross_minor`` : revenue less the cost of goods by cell, float64, shape (cohorts, ages), where margins differ by
    month; None where they do not. ``small_below`` : how many customers speak for all."""

    margin_share: float
    cac_minor: Floats
    gross_minor: Floats | None = None
    small_below: int = SMALL_BELOW

    @classmethod
    def none(cls, counts: CohortCounts) -> Costs:
        """All revenue is profit, and winning a customer costs nothing."""
        return cls(1.0, np.zeros(counts.cohort_count))

    def gross(self, counts: CohortCounts) -> Floats:
        """Revenue less the cost of goods by cell, ten-thousandths; float64, shape (cohorts, ages)."""
        return (
            counts.revenue_minor.astype(np.float64) * self.margin_share
            if self.gross_minor is None
            else self.gross_minor
        )


@dataclass(frozen=True, eq=False)
class FigureAverages:
    """A figure over all cohorts, by age; NaN where no cohort is complete. Counts are totals over all begun cells.

    ``values``, ``low``, ``high`` : float64, shape (ages,). ``cohorts``, ``customers`` : int64, shape (ages,), how many
    cohorts and customers an average rests on. ``overall`` : over all complete cells with age ≥ 1, NaN where that
    says nothing. ``cells`` : how many cells ``overall`` rests on.
    """

    values: Floats
    low: Floats
    high: Floats
    cohorts: Int64s
    customers: Int64s
    overall: float
    cells: int


@dataclass(frozen=True, eq=False)
class FigureTable:
    """One figure of a cohort table. Shares are fractions, amounts ten-thousandths of the currency unit.

    ``values``, ``low``, ``high`` : float64, shape (cohorts, ages), NaN where not yet or undefined; the 95 % Wilson
    interval is NaN for figures that are no share of customers. ``odd`` : complete cells of age ≥ 1 that differ from
    their column's average by more than three binomial standard errors and more than five points; bool.
    """

    figure: CohortFigure
    values: Floats
    low: Floats
    high: Floats
    odd: NDArray[np.bool_]
    averages: FigureAverages


@dataclass(frozen=True, eq=False)
class Differences:
    """How much more often a group did something than another, by age; float64, NaN where either has nobody."""

    difference: Floats
    low: Floats
    high: Floats


def figure_table(counts: CohortCounts, figure: CohortFigure, average: Average, costs: Costs) -> FigureTable:
    """Work a figure out for every cell and over all cohorts. ``costs`` matter to profit alone."""
    above, below = _ratio(counts, figure, costs)
    with np.errstate(invalid="ignore", divide="ignore"):
        values = np.where(counts.observed & (below != 0), above / below, np.nan)
    low, high = _interval(counts, figure, above)
    if figure in COUNTS:
        averages = _totals(counts, above)
    elif average is Average.WEIGHTED:
        averages = _weighted(counts, figure, above, below)
    else:
        averages = _plain(counts, figure, values, above)
    return FigureTable(figure, values, low, high, _odd(counts, figure, values, averages.values), averages)


def _ratio(counts: CohortCounts, figure: CohortFigure, costs: Costs) -> tuple[Floats, Floats]:
    """Numerator and denominator of every cell; they add up over cohorts."""
    size = np.broadcast_to(counts.size[:, None], counts.customers.shape).astype(np.float64)
    revenue, one = counts.revenue_minor.astype(np.float64), np.ones(counts.customers.shape)
    match figure:
        case CohortFigure.RETENTION:
            return counts.customers.astype(np.float64), size
        case CohortFigure.CHURN:
            return size - counts.customers, size
        case CohortFigure.STILL_BUYING:
            return counts.still_buying.astype(np.float64), size
        case CohortFigure.CAME_BACK:
            return counts.came_back_by.astype(np.float64), size
        case CohortFigure.CUSTOMERS:
            return counts.customers.astype(np.float64), one
        case CohortFigure.ORDERS:
            return counts.orders.astype(np.float64), one
        case CohortFigure.REVENUE:
            return revenue, one
        case CohortFigure.AVERAGE_ORDER_VALUE:
            return revenue, counts.orders.astype(np.float64)
        case CohortFigure.REVENUE_PER_CUSTOMER:
            return revenue.cumsum(axis=1), size
        case CohortFigure.REVENUE_RETENTION:
            first = np.broadcast_to(revenue[:, :1], revenue.shape)
            return np.where(first > 0, revenue, np.nan), first
        case CohortFigure.PROFIT_PER_CUSTOMER:
            spent = costs.cac_minor[:, None] * size
            return np.where(np.isnan(spent), np.nan, costs.gross(counts).cumsum(axis=1) - spent), size


def _interval(counts: CohortCounts, figure: CohortFigure, above: Floats) -> tuple[Floats, Floats]:
    if figure not in OF_CUSTOMERS:
        return np.full(above.shape, np.nan), np.full(above.shape, np.nan)
    low, high = wilson_interval(above.astype(np.int64), np.broadcast_to(counts.size[:, None], above.shape))
    return np.where(counts.observed, low, np.nan), np.where(counts.observed, high, np.nan)


def _totals(counts: CohortCounts, above: Floats) -> FigureAverages:
    nothing = np.full(counts.age_count, np.nan)
    begun = counts.observed
    rests_on = np.where(begun, counts.size[:, None], 0).sum(axis=0)
    cohorts = begun.sum(axis=0).astype(np.int64)
    return FigureAverages(above.sum(axis=0), nothing, nothing, cohorts, rests_on, float("nan"), 0)


def _weighted(counts: CohortCounts, figure: CohortFigure, above: Floats, below: Floats) -> FigureAverages:
    included = counts.complete & ~np.isnan(above)
    over, under = np.where(included, above, 0.0), np.where(included, below, 0.0)
    rests_on, cohorts = _rest(counts, included)
    total = under.sum(axis=0)
    values = over.sum(axis=0) / np.where(total > 0, total, np.nan)
    low = high = np.full(counts.age_count, np.nan)
    if figure in OF_CUSTOMERS:
        low, high = wilson_interval(over.sum(axis=0).astype(np.int64), rests_on)
    later = float(under[:, 1:].sum())
    overall = float(over[:, 1:].sum()) / later if later and figure in AT_EACH_AGE else float("nan")
    return FigureAverages(values, low, high, cohorts, rests_on, overall, int(included[:, 1:].sum()))


def _plain(counts: CohortCounts, figure: CohortFigure, values: Floats, above: Floats) -> FigureAverages:
    included = counts.complete & ~np.isnan(values)
    rests_on, cohorts = _rest(counts, included)
    known = np.where(included, values, 0.0)
    means = known.sum(axis=0) / np.where(cohorts > 0, cohorts, np.nan)
    low = high = np.full(counts.age_count, np.nan)
    if figure in OF_CUSTOMERS:
        came = np.where(included, above, 0).astype(np.int64)
        low, high = plain_mean_interval(came, np.where(included, counts.size[:, None], 0), included)
    later = int(included[:, 1:].sum())
    overall = float(known[:, 1:].sum()) / later if later and figure in AT_EACH_AGE else float("nan")
    return FigureAverages(means, low, high, cohorts, rests_on, overall, later)


def _rest(counts: CohortCounts, included: NDArray[np.bool_]) -> tuple[Int64s, Int64s]:
    """Customers and cohorts that stand in each column."""
    return np.where(included, counts.size[:, None], 0).sum(axis=0), included.sum(axis=0).astype(np.int64)


def _odd(counts: CohortCounts, figure: CohortFigure, values: Floats, averages: Floats) -> NDArray[np.bool_]:
    marked = np.zeros(values.shape, np.bool_)
    if figure not in OF_CUSTOMERS:
        return marked
    size = np.where(counts.size > 0, counts.size, np.nan)[:, None]
    with np.errstate(invalid="ignore"):
        error = np.sqrt(averages * (1 - averages) / size)
        away = np.abs(values - averages)
        marked |= (away > ODD_STANDARD_ERRORS * error) & (away > ODD_SHARE) & counts.complete
    marked[:, :1] = False
    return marked


def difference(figure: CohortFigure, one: CohortCounts, other: CohortCounts) -> Differences:
    """The average of a share of customers in one group less that in another at each age, over cells complete for each.

    NaN throughout for figures that are no share of customers: their spread is not known.
    """
    if figure not in OF_CUSTOMERS:
        nothing = np.full(one.age_count, np.nan)
        return Differences(nothing, nothing, nothing)
    (did, of), (did_there, of_there) = _chances(figure, one), _chances(figure, other)
    return Differences(*difference_interval(did, of, did_there, of_there))


def _chances(figure: CohortFigure, counts: CohortCounts) -> tuple[Int64s, Int64s]:
    above, below = _ratio(counts, figure, Costs.none(counts))
    included = counts.complete
    return (
        np.where(included, above, 0).sum(axis=0).astype(np.int64),
        np.where(included, below, 0).sum(axis=0).astype(np.int64),
    )
