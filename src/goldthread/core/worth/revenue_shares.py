"""Who brings the revenue: the share of the top customers, and the smallest share of them who brought half (section 9).

Ordering customers by revenue, the largest first; ties in the sequence of the book's customers.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.summing import blocks_of, count_and_sum
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import revenue_minor
from goldthread.core.history.history import History

Int64s = NDArray[np.int64]
_WORD_BITS = 62


@dataclass(frozen=True, eq=False)
class RevenueShares:
    """Customers who ordered, the largest first; int64, shape (customers,).

    ``customers`` : places in the book. ``orders``, ``revenue_minor`` : of each, the shown orders alone.
    ``cumulative_minor`` : revenue of each and all before.
    """

    history: History
    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s
    cumulative_minor: Int64s

    @property
    def total_minor(self) -> int:
        return int(self.revenue_minor.sum())

    def top_count(self, percent: int) -> int:
        """How many customers the top per cent are: at least one, rounded up; 0 where nobody ordered."""
        return -(-self.customers.size * percent // 100)

    def share_of(self, count: int) -> float:
        """The share of revenue that the first so many brought; NaN where there is no revenue to share."""
        if not count or self.total_minor <= 0:
            return float("nan")
        return float(self.cumulative_minor[count - 1] / self.total_minor)

    @property
    def half_count(self) -> int | None:
        """The fewest customers who brought half of the revenue; None where there is none to share."""
        if self.total_minor <= 0:
            return None
        return int(np.flatnonzero(2 * self.cumulative_minor >= self.total_minor)[0]) + 1

    def behind(self, count: int) -> Behind:
        """The first so many customers with their shown orders."""
        book, shown = self.history.book, self.history.shown
        chosen = np.zeros(book.customer_count, np.bool_)
        chosen[self.customers[:count]] = True
        theirs = np.repeat(chosen, book.counts)
        return Behind.of(book, np.flatnonzero(theirs if shown is None else theirs & shown))


def revenue_shares(history: History) -> RevenueShares:
    """Rank the customers of a history by the revenue of their shown orders. One pass and one sort of customers."""
    book, shown = history.book, history.shown_orders
    if shown is None:
        orders, revenue = book.counts, revenue_minor(book)
    else:
        amounts, customer = blocks_of(book.amount_minor.take(shown)), book.customer.take(shown)
        orders, revenue = count_and_sum(amounts, customer, book.customer_count, book.largest_amount_minor)
    with_orders = np.flatnonzero(orders)
    ranked = with_orders.take(_descending(revenue.take(with_orders)))
    ordered = revenue.take(ranked)
    return RevenueShares(history, ranked, orders.take(ranked), ordered, ordered.cumsum())


def _descending(values: Int64s) -> Int64s:
    """The places of some values, the largest first, equal ones in their sequence. Value and place are packed into one
    number and sorted as values where both fit."""
    most = int(values.max(initial=0))
    bits = max(values.size - 1, 1).bit_length()
    if most - int(values.min(initial=0)) >= 1 << (_WORD_BITS - bits):
        return np.argsort(-values, kind="stable")
    packed = (most - values) << bits | np.arange(values.size)
    packed.sort()
    return packed & ((1 << bits) - 1)
