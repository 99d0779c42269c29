"""Active, lapsed, never ordered (``docs/definitions.md``, section 8)."""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook
from goldthread.core.history.lapse import LapseRule
from goldthread.core.threads.gaps import first_orders, latest_orders


class Standing(IntEnum):
    """Where a customer stands; every customer is in exactly one."""

    ACTIVE = 0
    LAPSED = 1
    NEVER_ORDERED = 2
    NONE_COUNTED = 3


STANDING_LABELS = tuple(member.name.lower().replace("_", " ") for member in Standing)
"""The standings as people read them, by code."""


def standing(whole: OrderBook, book: OrderBook, as_of_day: int, lapse: LapseRule) -> NDArray[np.uint8]:
    """`Standing` of each customer; uint8, shape (customers,).

    ``whole`` holds every order on record, ``book`` those that count. A customer whose only orders are dated after the
    as-of date has not ordered yet on that date.
    """
    result = np.full(whole.customer_count, Standing.NEVER_ORDERED, np.uint8)
    dated = whole.day.take(first_orders(whole)) <= as_of_day
    result[whole.ordering[dated]] = Standing.NONE_COUNTED
    lapsed = book.day.take(latest_orders(book)) <= lapse.last_lapsed_day(as_of_day)
    result[book.ordering] = np.where(lapsed, Standing.LAPSED, Standing.ACTIVE)
    return result
