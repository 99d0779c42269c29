"""What stands behind a figure: customers and orders, by their places in a book."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook

Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Behind:
    """What stands behind one figure.

    ``customers`` : int32, ascending, each once. ``orders`` : int64, positions in the history's book, ascending.
    """

    customers: NDArray[np.int32]
    orders: Int64s

    @classmethod
    def of(cls, book: OrderBook, positions: Int64s) -> Behind:
        """Some orders with their customers; ``positions`` ascend, so each customer's stand together."""
        who = book.customer.take(positions)
        first_of_each = np.ones(who.size, np.bool_)
        first_of_each[1:] = who[1:] != who[:-1]
        return cls(who[first_of_each], positions)
