"""At which limit how many customers count as lapsed, and which limit the book itself suggests
(``docs/definitions.md``, section 8)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from operator import sub

import numpy as np
from numpy.typing import NDArray

from goldthread.core.evidence import Behind
from goldthread.core.history.facts import latest_day
from goldthread.core.history.history import History
from goldthread.core.history.standing import last_sign_day
from goldthread.core.parts import MadeLater, Sums, adds_up
from goldthread.core.standing.tally import with_orders
from goldthread.core.survival import TimesToEvent, product_limit
from goldthread.core.threads.gaps import NO_GAP, gap_days

Int64s = NDArray[np.int64]
SUGGESTED_SHARE = Fraction(9, 10)
"""By the suggested limit so many of those who ever place a next order have placed it."""
WATCHED_LEAST = 30
"""Orders that must still be watched at an age for it to say anything of those who ever order again."""
_WEEK = 7
_ROUNDING = 1e-9
"""More than doubles can be wrong by, less than any age apart from another."""


@dataclass(frozen=True, eq=False)
class LapseCounts(Sums):
    """How many customers have been silent for how long.

    ``lapsed`` : int64, shape (longest silence + 1,); entry d: who would be lapsed at a limit of d days. ``gaps`` :
    closed ones as events, those still open censored.
    """

    lapsed: Int64s
    gaps: TimesToEvent

    def lapsed_at(self, days: int) -> int:
        """Who would be lapsed at a limit."""
        return int(self.lapsed[days]) if days < self.lapsed.size else 0

    @cached_property
    def suggested_days(self) -> int | None:
        """The limit that the book's own gaps suggest; None where they say nothing."""
        return _suggested(self.gaps)


@dataclass(frozen=True, eq=False)
class LapseCurve(LapseCounts, MadeLater):
    """The same, and who they are.

    Attributes
    ----------
    silence_days : int64, shape (customers looked at with a counted order,); days since the latest order, or since the
        latest payment where those count
    customers : the same customers; int64, ascending
    """

    history: History
    silence_days: Int64s
    customers: Int64s

    @property
    def chosen_days(self) -> int | None:
        """The limit of the lapse rule in days, as it falls on the as-of date; None where every customer has another."""
        rule, as_of = self.history.rule.lapse, self.history.rule.as_of_day
        return as_of - rule.last_lapsed_day(as_of) if rule.is_span else None

    def behind(self, days: int) -> Behind:
        """The same customers with all their orders."""
        return with_orders(self.history, self.customers[self.silence_days >= days])


@adds_up
def lapse_curve(history: History) -> LapseCurve:
    """Count the customers that are looked at by how long they have been silent."""
    book, rule = history.book, history.rule
    among = history.customers[book.counts.take(history.customers) > 0]
    silence = rule.as_of_day - last_sign_day(book, rule.as_of_day, rule.lapse).take(among).astype(np.int64)
    exactly = np.bincount(silence, minlength=1)
    lapsed = np.cumsum(exactly[::-1])[::-1]
    return LapseCurve(lapsed, _gaps(history), history, silence, among)


def _gaps(history: History) -> TimesToEvent:
    """The gaps of the threads that are looked at, in whole days."""
    book, as_of = history.threads, history.rule.as_of_day
    closed = np.bincount(gap_days(book) - NO_GAP)[1:]
    still_open = np.bincount(as_of - latest_day(book).take(book.ordering))
    length = max(closed.size, still_open.size)
    return TimesToEvent(*(np.pad(each, (0, length - each.size))[None, :] for each in (closed, still_open)))


def _suggested(times: TimesToEvent) -> int | None:
    """The age by which 90 % of those who ever order again have, rounded up to a week.

    By the product-limit estimate over all orders, those that nothing followed so far censored; who "ever" orders again
    is read off at the last age at which so many are watched that the estimate is not moved by a few. None where fewer
    are watched from the first.
    """
    if not times.events.any():
        return None
    length = int(np.count_nonzero(times.at_risk[0] >= WATCHED_LEAST))
    share = product_limit(times).share[0, :length]
    if not length or not share[-1] > 0:
        return None
    watched, ended = times.at_risk[0].tolist(), times.events[0].tolist()

    def exact(ages: int) -> tuple[int, int]:
        """The share by the end of so many ages, in whole numbers: a tie at exactly nine of ten is one."""
        of = math.prod(watched[:ages])
        return of - math.prod(map(sub, watched[:ages], ended[:ages])), of

    ever, of_ever = exact(length)
    nearly = int(np.argmax(share >= float(SUGGESTED_SHARE) * share[-1] - _ROUNDING))
    for age in range(nearly, length):
        part, of = exact(age + 1)
        if SUGGESTED_SHARE.denominator * part * of_ever >= SUGGESTED_SHARE.numerator * ever * of:
            break
    return max(-(-age // _WEEK), 1) * _WEEK
