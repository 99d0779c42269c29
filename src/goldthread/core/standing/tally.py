"""How many customers stand where, by groups (``docs/definitions.md``, section 8).

Groups are compared by the chi-square test of homogeneity: K. Pearson, "On the criterion that a given system of
deviations …", Philosophical Magazine 50 (1900), 157–175.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.evidence import Behind
from goldthread.core.history.facts import revenue_minor
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels
from goldthread.core.history.standing import Standing, standing
from goldthread.core.intervals import chi_square_of_shares
from goldthread.core.parts import MadeLater, Together, adds_up

Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class StandingCounts:
    """The customers that are looked at, by group and standing.

    Attributes
    ----------
    labels : the groups; one, with the empty label, for all together
    codes : what the groups are called by in the label of customers; int64, ascending
    customers, revenue_minor : int64, shape (groups, standings); revenue is that of all counted orders
    """

    labels: tuple[str, ...]
    codes: Int64s
    customers: Int64s
    revenue_minor: Int64s

    def __add__(self, other: StandingCounts) -> StandingCounts:
        """The same question of two parts of a book."""
        on = Together.by_code(self.codes, other.codes)
        return StandingCounts(
            on.labels(self.labels, other.labels),
            on.keys,
            on.of(self.customers, other.customers),
            on.of(self.revenue_minor, other.revenue_minor),
        )

    @property
    def sizes(self) -> Int64s:
        """Customers of each group; int64, shape (groups,)."""
        size: Int64s = self.customers.sum(axis=1)
        return size

    @cached_property
    def _compared(self) -> tuple[float, float]:
        with_orders = self.customers[:, Standing.ACTIVE] + self.customers[:, Standing.LAPSED]
        return chi_square_of_shares(self.customers[:, Standing.LAPSED], with_orders)

    @property
    def chi_square(self) -> float:
        """Of the share of lapsed among those with counted orders, over the groups; NaN for one group."""
        return self._compared[0]

    @property
    def chance(self) -> float:
        """The chance of a chi-square as large; NaN for one group."""
        return self._compared[1]


@dataclass(frozen=True, eq=False)
class StandingTable(StandingCounts, MadeLater):
    """The same, and who they are.

    ``of_customer`` : `Standing` of each customer of the book, looked at or not; uint8. ``code`` : what the group of
    each is called by; int64.
    """

    history: History
    of_customer: NDArray[np.uint8]
    code: Int64s

    def members(self, group: int | None, stands: Standing | None) -> Int64s:
        """The customers of a group and a standing, None for all; ascending; int64."""
        kept = np.ones(self.of_customer.size, np.bool_) if stands is None else self.of_customer == stands
        if group is not None:
            kept &= self.code == self.codes[group]
        return self.history.looked_at(kept)

    def behind(self, group: int | None, stands: Standing | None) -> Behind:
        """The same with all their counted orders."""
        return with_orders(self.history, self.members(group, stands))


@adds_up
def standing_table(history: History, by: Labels | None = None) -> StandingTable:
    """Count the customers that are looked at by standing, and by a label of theirs."""
    groups = None if by is None else by(history)
    rule = history.rule
    of_customer = standing(history.whole, history.book, rule.as_of_day, rule.lapse)
    labels = ("",) if groups is None else groups.labels
    group = np.zeros(of_customer.size, np.int64) if groups is None else groups.codes.astype(np.int64)
    shape = len(labels), len(Standing)
    cells = history.of_looked_at(group * len(Standing) + of_customer)
    customers = np.bincount(cells, minlength=shape[0] * shape[1]).reshape(shape)
    revenue = np.zeros(shape[0] * shape[1], np.int64)
    np.add.at(revenue, cells, history.of_looked_at(revenue_minor(history.book)))
    kept = np.flatnonzero(customers.sum(axis=1)) if groups is not None else np.zeros(1, np.int64)
    return StandingTable(
        tuple(labels[each] for each in kept.tolist()),
        kept,
        customers[kept],
        revenue.reshape(shape)[kept],
        history,
        of_customer,
        group,
    )


def with_orders(history: History, customers: Int64s, last_day: int | None = None) -> Behind:
    """Some customers, ascending, with their counted orders, up to a day where one is given."""
    book = history.book
    chosen = np.zeros(book.customer_count, np.bool_)
    chosen[customers] = True
    kept = np.repeat(chosen, book.counts)
    if last_day is not None:
        kept &= book.day <= np.int32(last_day)
    return Behind(customers.astype(np.int32), np.flatnonzero(kept))
