"""Two groups of customers at the same age: what each has brought, and how sure the difference is (section 9)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.cohorts.covered import Members
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.counted import numbers_of
from goldthread.core.history.history import History
from goldthread.core.worth.bands import Bundles, bundles_of_groups, intervals
from goldthread.core.worth.margins import Margins

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class GroupValue:
    """One of two groups; arrays have the shape (ages,). ``customers`` : of the cohorts complete at the age, int64.
    ``gross_minor`` : revenue less the cost of goods per customer up to it, with its 95 % interval, float64; NaN without
    customers."""

    customers: Int64s
    gross_minor: Floats
    low_minor: Floats
    high_minor: Floats


@dataclass(frozen=True, eq=False)
class ValuesCompared:
    """Two groups. ``difference_minor`` : what a customer of one had brought more than one of the other, float64, shape
    (ages,), with its 95 % interval, NaN where either has nobody. ``both`` : customers who are in both."""

    one: GroupValue
    other: GroupValue
    difference_minor: Floats
    low_minor: Floats
    high_minor: Floats
    both: int

    @property
    def age_compared(self) -> int | None:
        """The largest age that half of each group have completed: beyond it a few would speak for all. None where there
        is no age that both have."""
        halves = [2 * side.customers >= max(1, int(side.customers.max(initial=0))) for side in (self.one, self.other)]
        known = np.flatnonzero(halves[0] & halves[1] & (self.one.customers > 0) & (self.other.customers > 0))
        return int(known[-1]) if known.size else None


@dataclass(frozen=True)
class _Sides:
    """Who is on one side, on the other, and on both: 1, 2 and 3; 0 for everybody else."""

    one: Members
    other: Members

    def __call__(self, history: History) -> NDArray[np.uint8]:
        return self.one(history).astype(np.uint8) + np.uint8(2) * self.other(history)


@dataclass(frozen=True)
class _OnBoth:
    """Those who are on both sides and have an order."""

    sides: _Sides

    def __call__(self, history: History) -> Int64s:
        return np.flatnonzero((self.sides(history) == 3) & (history.book.counts > 0))


def compared(table: CohortTable, margins: Margins, one: Members, other: Members) -> ValuesCompared:
    """Compare two groups of customers.

    The groups are drawn independently of each other, so customers who are in both make the interval wider than it is.
    """
    every, sides = np.ones(table.cohort_count, np.bool_), _Sides(one, other)
    alone, elsewhere, common = bundles_of_groups(table, margins, every, sides, 3)
    found = alone.beside(common), elsewhere.beside(common)
    mine, theirs, apart = intervals(*found)
    first, second = _side(found[0], *mine), _side(found[1], *theirs)
    both = int(numbers_of(table.history, (_OnBoth(sides),)).customers[0])
    return ValuesCompared(first, second, first.gross_minor - second.gross_minor, *apart, both)


def _side(found: Bundles, low: Floats, high: Floats) -> GroupValue:
    customers = found.customers.sum(axis=0)
    mean = found.gross_minor.sum(axis=0) / np.where(customers > 0, customers, np.nan)
    return GroupValue(customers.astype(np.int64), mean, low, high)
