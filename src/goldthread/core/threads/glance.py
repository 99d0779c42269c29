"""Some customers at a glance: how many, their orders and revenue, how long ago they ordered."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.payments import NO_DAY
from goldthread.core.history.facts import latest_day, revenue_minor
from goldthread.core.history.history import History
from goldthread.core.parts import Together, adds_up

Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Glance:
    """Customers and their shown orders. ``latest`` : int64, shape (days,); how many ordered for the last time on each
    day from ``first_day`` on."""

    customers: int
    orders: int
    revenue_minor: int
    first_day: int
    latest: Int64s

    def __add__(self, other: Glance) -> Glance:
        """That of two parts of a book."""
        on = Together.by_period((self.first_day, self.latest.size), (other.first_day, other.latest.size))
        return Glance(
            self.customers + other.customers,
            self.orders + other.orders,
            self.revenue_minor + other.revenue_minor,
            on.first,
            on.of(self.latest, other.latest),
        )

    @property
    def with_orders(self) -> int:
        """Customers with an order."""
        return int(self.latest.sum())

    def median_days_since(self, as_of_day: int) -> float | None:
        """How long ago customers ordered for the last time, the median; None when nobody did."""
        if not self.with_orders:
            return None
        middle = (self.with_orders - 1) // 2, self.with_orders // 2
        low, high = (int(np.searchsorted(np.cumsum(self.latest), place, side="right")) for place in middle)
        return as_of_day - self.first_day - (low + high) / 2


@adds_up
def glance(history: History) -> Glance:
    """Count the customers that are looked at, and their shown orders."""
    book, shown = history.book, history.shown_orders
    amounts = revenue_minor(book) if shown is None else book.amount_minor.take(shown)
    latest = latest_day(book).take(history.customers)
    known = latest[latest != NO_DAY]
    first_day = int(known.min(initial=history.rule.as_of_day))
    days = np.bincount(known - np.int32(first_day))
    return Glance(history.customers.size, history.shown_order_count, int(amounts.sum()), first_day, days)
