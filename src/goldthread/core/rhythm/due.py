"""Who is due and who is late (``docs/definitions.md``, sections 3 and 7)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.payments import NO_DAY
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import next_due_day, overdue_ratio
from goldthread.core.history.history import History
from goldthread.core.parts import MadeLater, Sums, adds_up

Int64s = NDArray[np.int64]
LATE_LIMITS = (2.0, 3.0, 5.0)
"""Overdue ratios up to which, themselves included, those who are late are grouped; the first group begins at being late
at all, and one more has those whose expected gap is 0 days: they have no such ratio."""


@dataclass(frozen=True, eq=False)
class DueCounts(Sums):
    """How many customers are expected to order.

    Attributes
    ----------
    per_day : int64, shape (days,); how many are expected on each of the days from the as-of date on
    per_lateness : int64, shape (5,); those expected before it by overdue ratio, as `LATE_LIMITS` says
    """

    per_day: Int64s
    per_lateness: Int64s


@dataclass(frozen=True, eq=False)
class Due(DueCounts, MadeLater):
    """The same, and who they are.

    Attributes
    ----------
    coming : int64; those expected on one of the days from the as-of date on, by day, then in the sequence of the book
    late : int64; those expected before the as-of date, by how many usual gaps, fewest first
    """

    history: History
    days: int
    coming: Int64s
    late: Int64s

    @property
    def due_day(self) -> NDArray[np.int32]:
        """Day on which each customer's next order is expected; int32, shape (customers,)."""
        return next_due_day(self.history.book)

    def expected(self, first_day: int, last_day: int) -> Int64s:
        """The coming customers who are expected in a stretch of days, ascending; int64."""
        days = self.due_day.take(self.coming)
        return np.sort(self.coming[(days >= first_day) & (days <= last_day)])

    def of_lateness(self, group: int | None) -> Int64s:
        """The late ones of a group, None for all, ascending; int64."""
        if group is None:
            return np.sort(self.late)
        return np.sort(self.late[_lateness(_ratio(self.history, self.late)) == group])

    def days_late(self, customers: Int64s) -> Int64s:
        """How many days ago the next order of some customers was expected; 0 for who is not late; int64."""
        return np.maximum(self.history.rule.as_of_day - self.due_day.take(customers).astype(np.int64), 0)

    def behind(self, customers: Int64s) -> Behind:
        """Some customers with their latest orders, from which the next is expected."""
        book = self.history.book
        return Behind(customers.astype(np.int32), book.starts.take(customers + 1) - 1)


@adds_up
def who_is_due(history: History, days: int) -> Due:
    """Everybody who is looked at and expected before the as-of date, or on one of so many days from it on."""
    as_of, due = history.rule.as_of_day, next_due_day(history.book)
    mine, looked_at = due.take(history.customers), history.customers
    inside = (mine >= as_of) & (mine < as_of + days)
    coming, day = looked_at[inside], mine[inside] - as_of
    coming = coming.take(np.argsort(day, kind="stable"))
    late = looked_at[(mine < as_of) & (mine != NO_DAY)]
    ratio = _ratio(history, late)
    order = np.argsort(ratio, kind="stable")
    lateness = np.bincount(_lateness(ratio), minlength=len(LATE_LIMITS) + 2)
    return Due(np.bincount(day, minlength=days), lateness, history, days, coming, late.take(order))


def _ratio(history: History, customers: Int64s) -> NDArray[np.float64]:
    """The overdue ratio of late customers; infinite for an expected gap of 0 days."""
    ratio = overdue_ratio(history.book, history.rule.as_of_day).take(customers)
    return np.nan_to_num(ratio, nan=np.inf)


def _lateness(ratio: NDArray[np.float64]) -> Int64s:
    """The group of `LATE_LIMITS` that each of some overdue ratios is in; an infinite one is the last."""
    return np.searchsorted((*LATE_LIMITS, np.finfo(np.float64).max), ratio, side="left").astype(np.int64)
