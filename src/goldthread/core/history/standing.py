"""Active, lapsed, never ordered (``docs/definitions.md``, section 8)."""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.payments import NO_DAY
from goldthread.core.history.facts import expected_gap_days, first_day, last_activity_day, latest_day
from goldthread.core.history.lapse import LapseRule


class Standing(IntEnum):
    """Where a customer stands; every customer is in exactly one."""

    ACTIVE = 0
    LAPSED = 1
    NEVER_ORDERED = 2
    NONE_COUNTED = 3


STANDING_LABELS = ("active", "lapsed", "never ordered", "no counted order")
"""The standings as people read them, by code."""
FORMER_LABEL = "none counted"
"""What the last of them was called once: conditions that were kept with it still hold."""


def standing(whole: OrderBook, book: OrderBook, as_of_day: int, lapse: LapseRule) -> NDArray[np.uint8]:
    """`Standing` of each customer; uint8, shape (customers,).

    ``whole`` holds every order on record, ``book`` those that count. A customer whose only orders are dated after the
    as-of date has not ordered yet on that date.
    """
    seen = first_day(whole)
    ordered = (seen != NO_DAY) & (seen <= as_of_day)
    without = np.where(ordered, np.uint8(Standing.NONE_COUNTED), np.uint8(Standing.NEVER_ORDERED))
    lapsed = _lapsed(book, as_of_day, lapse).view(np.uint8) * np.uint8(Standing.LAPSED)
    return np.where(book.counts > 0, lapsed, without)


def last_sign_day(book: OrderBook, as_of_day: int, lapse: LapseRule) -> NDArray[np.int32]:
    """Day of the latest order of each customer, or of the latest payment up to the as-of date where those count and it
    is later; int32, shape (customers,), `NO_DAY` without either."""
    return last_activity_day(book, book.payments.up_to(as_of_day)) if lapse.by_activity else latest_day(book)


def _lapsed(book: OrderBook, as_of_day: int, lapse: LapseRule) -> NDArray[np.bool_]:
    """Which customers would have lapsed, if they had ordered; bool, shape (customers,). By usual gaps, nobody who has
    none."""
    last = last_sign_day(book, as_of_day, lapse)
    if lapse.usual_gaps is None:
        within: NDArray[np.bool_] = last <= lapse.last_lapsed_day(as_of_day)
        return within
    silence = as_of_day - last.astype(np.int64)
    longer: NDArray[np.bool_] = silence > lapse.usual_gaps * expected_gap_days(book)
    return longer
