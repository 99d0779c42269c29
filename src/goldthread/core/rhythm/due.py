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
from goldthread.core.threads.listing import SortedRows

Int64s = NDArray[np.int64]
LATE_LIMITS = (2.0, 3.0, 5.0)
"""Overdue ratios up to which, themselves included, those who are late are grouped; the first group begins at being late
at all, and one more has those whose expected gap is 0 days: they have no such ratio."""
_COMING = np.int64(0x7FF1 << 48)
"""Above the bits of every double, an infinite one too."""


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
    coming: Int64s
    late: Int64s


@dataclass(frozen=True)
class Expected:
    """Who is looked at and expected in a stretch of days, by their places in the book, ascending."""

    first_day: int
    last_day: int

    def __call__(self, history: History) -> Int64s:
        days = next_due_day(history.book).take(history.customers)
        return history.customers[(days >= self.first_day) & (days <= self.last_day)]


@dataclass(frozen=True)
class Late:
    """Who is looked at and was expected before the as-of date; ``group`` : of `LATE_LIMITS`, None for all."""

    group: int | None = None

    def __call__(self, history: History) -> Int64s:
        days = next_due_day(history.book).take(history.customers)
        late: Int64s = history.customers[(days < history.rule.as_of_day) & (days != NO_DAY)]
        return late if self.group is None else late[_lateness(_ratio(history, late)) == self.group]


@dataclass(frozen=True)
class LatestOrders:
    """Some customers with their latest orders, from which the next is expected."""

    whom: Expected | Late

    def __call__(self, history: History) -> Behind:
        customers = self.whom(history)
        return Behind(customers.astype(np.int32), history.book.starts.take(customers + 1) - 1)


@dataclass(frozen=True)
class DueBy:
    """Those who are late, by how many usual gaps, fewest first, where they are wanted; then those who are expected on
    one of so many days from the as-of date on, by day."""

    days: int
    late: bool

    def __call__(self, history: History) -> SortedRows:
        as_of = history.rule.as_of_day
        coming, late = Expected(as_of, as_of + self.days - 1)(history), Late()(history)
        late = late if self.late else late[:0]
        # the bits of positive doubles ascend as these do
        of_late = _ratio(history, late).view(np.int64)
        of_coming = next_due_day(history.book).take(coming) - as_of + _COMING
        customers, key = np.concatenate((late, coming)), np.concatenate((of_late, of_coming))
        order = np.argsort(customers)
        return SortedRows.of_keys(history.book.places.take(customers.take(order)), key.take(order))


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
    return Due(np.bincount(day, minlength=days), lateness, history, coming, late.take(order))


def days_late(history: History, customers: Int64s) -> Int64s:
    """How many days ago the next order of some customers was expected; 0 for who is not late; int64."""
    due = next_due_day(history.book).take(customers).astype(np.int64)
    return np.maximum(history.rule.as_of_day - due, 0)


def _ratio(history: History, customers: Int64s) -> NDArray[np.float64]:
    """The overdue ratio of late customers; infinite for an expected gap of 0 days."""
    ratio = overdue_ratio(history.book, history.rule.as_of_day).take(customers)
    return np.nan_to_num(ratio, nan=np.inf)


def _lateness(ratio: NDArray[np.float64]) -> Int64s:
    """The group of `LATE_LIMITS` that each of some overdue ratios is in; an infinite one is the last."""
    return np.searchsorted((*LATE_LIMITS, np.finfo(np.float64).max), ratio, side="left").astype(np.int64)
