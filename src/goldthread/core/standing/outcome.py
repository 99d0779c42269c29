"""What became of the members of a list (``docs/definitions.md``, section 8).

Every member has a day to count from: that of the contact, or that of the list. Within N days of it they ordered again,
did not, or the days are not over yet: that is open, and never a no.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.payments import NO_DAY
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.intervals import difference_interval, wilson_interval

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Outcomes:
    """What became of some customers.

    Attributes
    ----------
    customers : int64, ascending, each once
    first_day, last_day : int64; the days that count for each, both included
    ordered_day : int32; day of the first counted order among them, `NO_DAY` where there is none so far
    amount_minor : int64; the counted orders of these days together, ten-thousandths
    over : bool; whether the last of these days is past on the as-of date, or is it
    """

    history: History
    customers: Int64s
    first_day: Int64s
    last_day: Int64s
    ordered_day: Int32s
    amount_minor: Int64s
    over: Mask

    @property
    def ordered(self) -> Mask:
        """Who ordered again in these days, over or not; bool."""
        ordered: Mask = self.ordered_day != NO_DAY
        return ordered

    def behind(self, among: Mask) -> Behind:
        """Some of the customers, with their counted orders of these days."""
        book = self.history.book
        first, last = (np.full(book.customer_count, fill, np.int64) for fill in (1, 0))
        first[self.customers[among]] = self.first_day[among]
        last[self.customers[among]] = self.last_day[among]
        inside = (book.day >= first.take(book.customer)) & (book.day <= last.take(book.customer))
        if self.history.shown is not None:
            inside &= self.history.shown
        return Behind(self.customers[among].astype(np.int32), np.flatnonzero(inside))


def outcomes(history: History, customers: Int64s, start_day: Int64s, from_day: Int64s, within_days: int) -> Outcomes:
    """What became of some customers within so many days; of orders, those that are shown count.

    ``start_day``: the day from which each one's days are counted; ``from_day``: the first one of them that counts.
    """
    book, as_of = history.book, history.rule.as_of_day
    last_day = start_day + within_days
    counts = book.counts.take(customers)
    owner = np.repeat(np.arange(customers.size), counts)
    begins = np.cumsum(counts) - counts
    places = np.arange(owner.size) - begins.take(owner) + book.starts.take(customers).take(owner)
    day = book.day.take(places)
    inside = (day >= from_day.take(owner)) & (day <= last_day.take(owner))
    if history.shown is not None:
        inside &= history.shown.take(places)
    amount = np.zeros(customers.size, np.int64)
    np.add.at(amount, owner[inside], book.amount_minor.take(places[inside]))
    latest = np.iinfo(np.int32).max
    ordered = np.full(customers.size, latest, np.int32)
    np.minimum.at(ordered, owner[inside], day[inside])
    ordered[ordered == latest] = NO_DAY
    return Outcomes(history, customers, from_day, last_day, ordered, amount, last_day <= as_of)


@dataclass(frozen=True)
class Share:
    """How many of a group ordered again in their days.

    Attributes
    ----------
    customers : everybody in the group
    over, ordered : those whose days are over, and who of them ordered
    still_open, open_ordered : those whose days are not over yet, and who of them ordered already
    low, high : 95 % interval of ordered / over; NaN where nobody's days are over
    median_days : from the start to the order, of those who ordered; NaN without
    amount_minor : what the group ordered in these days, ten-thousandths
    """

    customers: int
    over: int
    ordered: int
    still_open: int
    open_ordered: int
    low: float
    high: float
    median_days: float
    amount_minor: int

    @property
    def ratio(self) -> float:
        """The share of those whose days are over who ordered; NaN for nobody."""
        return self.ordered / self.over if self.over else float("nan")


def share_of(found: Outcomes, among: Mask, start_day: Int64s) -> Share:
    """What became of one group."""
    over, ordered = found.over & among, found.ordered & among
    low, high = wilson_interval(np.array([int((over & ordered).sum())]), np.array([int(over.sum())]))
    days = found.ordered_day[ordered] - start_day[ordered]
    return Share(
        customers=int(among.sum()),
        over=int(over.sum()),
        ordered=int((over & ordered).sum()),
        still_open=int((among & ~found.over).sum()),
        open_ordered=int((ordered & ~found.over).sum()),
        low=float(low[0]),
        high=float(high[0]),
        median_days=float(np.median(days)) if days.size else float("nan"),
        amount_minor=int(found.amount_minor[among].sum()),
    )


def difference_of(one: Share, other: Share) -> tuple[float, float, float]:
    """By how much one share is larger than the other, and its 95 % interval (Newcombe); NaN where either has nobody
    whose days are over."""
    found = difference_interval(*(np.array([value]) for share in (one, other) for value in (share.ordered, share.over)))
    difference, low, high = (float(values[0]) for values in found)
    return difference, low, high


def drawn(customers: Int64s, share: float, seed: int) -> Int64s:
    """A share of some customers, drawn at random: the same for the same seed; ascending; int64."""
    ordered = np.sort(customers)
    wanted = round(share * ordered.size)
    return np.sort(np.random.default_rng(seed).permutation(ordered)[:wanted])
