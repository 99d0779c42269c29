"""What an order is in its thread: new, returning, or of the returning one that won its customer back."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.periods import months_before
from goldthread.core.history.known import expected_before_days
from goldthread.core.history.lapse import LapseRule
from goldthread.core.parts import Together
from goldthread.core.threads.gaps import NO_GAP, first_orders, gap_days

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Parts:
    """One measure, split; int64, shape (periods,). ``won_back`` is a part of ``returning``."""

    new: Int64s
    returning: Int64s
    won_back: Int64s

    def plus(self, other: Parts, on: Together) -> Parts:
        """The sum of two parts of a book, whose periods lie on one axis."""
        return Parts(
            on.of(self.new, other.new),
            on.of(self.returning, other.returning),
            on.of(self.won_back, other.won_back),
        )

    @property
    def total(self) -> Int64s:
        """New and returning together; int64, shape (periods,)."""
        return self.new + self.returning


@dataclass(frozen=True)
class Tally:
    """One stretch of days, both ends inside, split; revenue in ten-thousandths of the currency unit.

    Each tuple holds new, returning, and of the returning those won back.
    """

    first_day: int
    last_day: int
    orders: tuple[int, int, int]
    customers: tuple[int, int, int]
    revenue_minor: tuple[int, int, int]

    def __add__(self, other: Tally) -> Tally:
        """The same stretch of two parts of a book."""
        return Tally(
            self.first_day,
            self.last_day,
            _three(self.orders, other.orders),
            _three(self.customers, other.customers),
            _three(self.revenue_minor, other.revenue_minor),
        )


def _three(one: tuple[int, int, int], other: tuple[int, int, int]) -> tuple[int, int, int]:
    return one[0] + other[0], one[1] + other[1], one[2] + other[2]


def parts_at(parts: Parts, place: int) -> tuple[int, int, int]:
    return int(parts.new[place]), int(parts.returning[place]), int(parts.won_back[place])


class OrderClass(IntEnum):
    """What an order is in its thread."""

    OTHERWISE = 0
    WON_BACK = 1
    NEW = 2


@kept
def classes_of(book: OrderBook, lapse: LapseRule) -> NDArray[np.uint8]:
    """The class of each order; uint8, shape (orders,)."""
    found = won_back(book, lapse).astype(np.uint8)
    found[first_orders(book)] = OrderClass.NEW
    return found


def by_class(counts: Int64s) -> Int64s:
    """Counts by period and class; int64, shape (periods, classes)."""
    return counts.reshape(-1, len(OrderClass))


def parts_of(counted: Int64s) -> Parts:
    back = counted[:, OrderClass.WON_BACK]
    return Parts(counted[:, OrderClass.NEW], counted[:, OrderClass.OTHERWISE] + back, back)


@kept
def won_back(book: OrderBook, lapse: LapseRule) -> Mask:
    """Orders whose gap reaches the lapse rule: the customer had lapsed when they came; bool, shape (orders,).

    Where the rule goes by usual gaps, the expected gap is that of the day, from what was known then.
    """
    gaps = gap_days(book)
    if lapse.usual_gaps is not None:
        longer: Mask = gaps > lapse.usual_gaps * expected_before_days(book)
        return longer
    if lapse.months is None:
        # no gap is −1, and a rule has at least one day
        reached: Mask = gaps >= max(lapse.days, NO_GAP + 1)
        return reached
    low, high = book.day_span
    limit = np.array([months_before(day, lapse.months) for day in range(low, high + 1)], np.int32)
    mask: Mask = (gaps != NO_GAP) & (book.day - gaps <= limit.take(book.day - np.int32(low)))
    return mask
