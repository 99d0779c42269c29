"""Whom to follow up (``docs/definitions.md``, section 8)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.payments import NO_DAY
from goldthread.core.choices import Who
from goldthread.core.counted import OnList, Whom
from goldthread.core.history.facts import first_day, latest_day, next_due_day
from goldthread.core.history.history import History
from goldthread.core.history.standing import Standing, standing

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]
YES, MARKS = "yes", ("closed", "do_not_contact")
_STANDINGS = {
    Who.LAPSED: Standing.LAPSED,
    Who.NEVER_ORDERED: Standing.NEVER_ORDERED,
    Who.NONE_COUNTED: Standing.NONE_COUNTED,
}


@dataclass(frozen=True, eq=False)
class FollowUp:
    """Customers to be followed up.

    Attributes
    ----------
    reasons : why they are
    holds : bool, shape (reasons, ``found``); for whom which of them holds
    found : int64, ascending; everybody who is looked at and for whom one of the reasons holds
    closed, do_not_contact : bool, shape of ``found``; who is marked so
    """

    reasons: tuple[Who, ...]
    holds: Mask
    found: Int64s
    closed: Mask
    do_not_contact: Mask

    @property
    def not_to_be_contacted(self) -> Mask:
        """Who is closed or not to be contacted; bool, shape of ``found``."""
        return self.closed | self.do_not_contact

    def alone(self, reason: Who) -> FollowUp:
        """Those for whom one of the reasons holds."""
        kept = self.holds[self.reasons.index(reason)]
        return FollowUp((reason,), kept[kept][None, :], self.found[kept], self.closed[kept], self.do_not_contact[kept])


@dataclass(frozen=True)
class Followed:
    """Who is followed up, as a value that can be sent: what gives them of a history. ``one_order_days`` as in
    `follow_up`."""

    reasons: tuple[Who, ...]
    one_order_days: int = 0

    def __call__(self, history: History) -> FollowUp:
        return history.once(self, lambda: follow_up(history, self.reasons, self.one_order_days))


class Beside(Enum):
    """Beside an earlier list: who was not on it, who was, and who is on it alone."""

    NEW = "new"
    STILL = "still"
    GONE = "gone"


@dataclass(frozen=True)
class FollowedPart:
    """Some of those who are followed up. ``reason`` : those for whom it holds; None for any. ``contactable`` : who may
    be contacted, or who may not; None for both. ``earlier``, ``beside`` : an earlier list, and how they stand to it."""

    followed: Followed
    reason: Who | None = None
    contactable: bool | None = None
    earlier: OnList | None = None
    beside: Beside | None = None

    def __call__(self, history: History) -> Int64s:
        found = self.followed(history)
        found = found if self.reason is None else found.alone(self.reason)
        now: Int64s = found.found
        if self.contactable is not None:
            now = now[found.not_to_be_contacted != self.contactable]
        if self.earlier is None or self.beside is None:
            return now
        on_it = self.earlier(history)
        if self.beside is Beside.GONE:
            on_it[now] = False
            return np.flatnonzero(on_it)
        kept: Int64s = now[on_it.take(now) == (self.beside is Beside.STILL)]
        return kept


@dataclass(frozen=True)
class Marked:
    """Those of some customers whom their record marks so, by any of some names."""

    whom: Whom
    names: tuple[str, ...]

    def __call__(self, history: History) -> Int64s:
        customers = self.whom(history)
        marked: Int64s = customers[np.logical_or.reduce([_marked(history, name, customers) for name in self.names])]
        return marked


@dataclass(frozen=True)
class OrderedAfter:
    """Those of some customers whose latest order is after a day."""

    whom: Whom
    day: int

    def __call__(self, history: History) -> Int64s:
        customers = self.whom(history)
        later: Int64s = customers[latest_day(history.book).take(customers) > self.day]
        return later


def follow_up(history: History, reasons: Sequence[Who], one_order_days: int = 0) -> FollowUp:
    """Everybody for whom one of the reasons holds; there is at least one reason.

    ``one_order_days``: of those with one order, how many days ago it was placed at least.
    """
    rule = history.rule
    stands = standing(history.whole, history.book, rule.as_of_day, rule.lapse)
    each = [_holds(history, stands, reason, one_order_days) for reason in reasons]
    found = history.looked_at(np.logical_or.reduce(each))
    holds = np.stack([mask.take(found) for mask in each])
    marked = (_marked(history, name, found) for name in MARKS)
    return FollowUp(tuple(reasons), holds, found, *marked)


def _holds(history: History, stands: NDArray[np.uint8], reason: Who, one_order_days: int) -> Mask:
    book, as_of = history.book, history.rule.as_of_day
    match reason:
        case Who.OVERDUE:
            due = next_due_day(book)
            overdue: Mask = (due < as_of) & (due != NO_DAY)
            return overdue
        case Who.ONE_ORDER:
            once: Mask = (book.counts == 1) & (first_day(book) <= as_of - one_order_days)
            return once
        case _:
            standing_so: Mask = stands == _STANDINGS[reason]
            return standing_so


def _marked(history: History, name: str, customers: Int64s) -> Mask:
    """Which of some customers their record marks so."""
    attribute = history.book.customers.attributes.get(name)
    if attribute is None or YES not in attribute.labels:
        return np.zeros(customers.size, np.bool_)
    marked: Mask = attribute.codes.take(customers) == attribute.labels.index(YES)
    return marked
