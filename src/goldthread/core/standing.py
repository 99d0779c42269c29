"""Active, lapsed, never ordered (``docs/definitions.md``, section 8)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.history import History
from goldthread.core.periods import months_before
from goldthread.core.threads import first_orders, latest_orders


class Standing(IntEnum):
    """Where a customer stands; every customer is in exactly one."""

    ACTIVE = 0
    LAPSED = 1
    NEVER_ORDERED = 2
    NONE_COUNTED = 3


@dataclass(frozen=True)
class LapseRule:
    """No order in the last ``days`` days, or in the last ``months`` calendar months when that is set."""

    days: int = 90
    months: int | None = None

    def last_lapsed_day(self, as_of_day: int) -> int:
        """A latest order on or before this day means lapsed. "The last N days" is (as-of − N, as-of]."""
        return as_of_day - self.days if self.months is None else months_before(as_of_day, self.months)


def standing(history: History, lapse: LapseRule) -> NDArray[np.uint8]:
    """`Standing` of each customer; uint8, shape (customers,).

    A customer whose only orders are dated after the as-of date has not ordered yet on that date.
    """
    as_of_day = history.rule.as_of_day
    result = np.full(history.whole.customer_count, Standing.NEVER_ORDERED, np.uint8)
    dated = history.whole.day.take(first_orders(history.whole)) <= as_of_day
    result[history.whole.ordering[dated]] = Standing.NONE_COUNTED
    book = history.book
    lapsed = book.day.take(latest_orders(book)) <= lapse.last_lapsed_day(as_of_day)
    result[book.ordering] = np.where(lapsed, Standing.LAPSED, Standing.ACTIVE)
    return result
