"""Payments by customer (``docs/definitions.md``, section 3: last activity and balance)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

NO_DAY = np.iinfo(np.int32).min
"""In columns of days: there is none."""


@dataclass(frozen=True, eq=False)
class Payments:
    """Payments sorted by (customer, day); parallel arrays, one entry per payment.

    ``customer``: int32. ``day``: int32, days since 1970-01-01. ``amount_minor``: int64, ten-thousandths.
    """

    customer: NDArray[np.int32]
    day: NDArray[np.int32]
    amount_minor: NDArray[np.int64]

    @classmethod
    def none(cls) -> Payments:
        """No payment at all."""
        return cls(np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0, np.int64))

    @classmethod
    def sorted_from(
        cls, customer: NDArray[np.int32], day: NDArray[np.int32], amount_minor: NDArray[np.int64]
    ) -> Payments:
        """From payments in any sequence."""
        order = np.lexsort((day, customer))
        return cls(customer.take(order), day.take(order), amount_minor.take(order))

    def up_to(self, as_of_day: int) -> Payments:
        """The payments made on a day or before it."""
        kept = np.flatnonzero(self.day <= as_of_day)
        if kept.size == self.day.size:
            return self
        return Payments(self.customer.take(kept), self.day.take(kept), self.amount_minor.take(kept))

    def of_customer(self, customer: int) -> slice:
        """Where one customer's payments stand."""
        return self.of_customers(customer, customer + 1)

    def of_customers(self, first: int, end: int) -> slice:
        """Where those of the customers from the first to before another stand."""
        return slice(*np.searchsorted(self.customer, (first, end)).tolist())

    def latest_day(self, customers: int) -> NDArray[np.int32]:
        """Day of each customer's latest payment; int32, shape (customers,), `NO_DAY` where there is none."""
        latest = np.full(customers, NO_DAY, np.int32)
        latest[self.customer] = self.day
        return latest

    def known(self, customers: int) -> NDArray[np.bool_]:
        """Which customers have a payment; bool, shape (customers,)."""
        found: NDArray[np.bool_] = np.bincount(self.customer, minlength=customers) > 0
        return found

    def total_minor(self, customers: int) -> NDArray[np.int64]:
        """What each customer paid; int64, shape (customers,), ten-thousandths."""
        total = np.zeros(customers, np.int64)
        np.add.at(total, self.customer, self.amount_minor)
        return total
