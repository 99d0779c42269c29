"""Order counts (``docs/definitions.md``, section 7): how many customers placed how many orders in a stretch of days.

The orders stand once more in the sequence of their dates, kept with the book: a window is a run of them, and what
each customer had ordered before some of its places is kept too, so that little is left to count.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.filtered import Beginning, starts_of_kept
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.periods import period_of_day
from goldthread.core.book.summing import blocks_of, count_and_sum, running
from goldthread.core.choices import Period
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import running_amounts
from goldthread.core.history.history import History
from goldthread.core.limits import ORDER_COUNTS_MOST
from goldthread.core.parts import MadeLater, Sums, Together, adds_up

Int64s = NDArray[np.int64]
_PLACES = 16
"""Places in the sequence of dates for which the orders of every customer are counted once."""


@dataclass(frozen=True, eq=False)
class OrderCountTable(Sums):
    """Customers by how many orders they placed in a stretch of days.

    Attributes
    ----------
    exactly : int64; entry k: who placed exactly k orders
    customers, orders, revenue_minor : int64, shape (groups + 1,); entry k for those with exactly k orders, the last one
        for those with so many or more; entry 0 is the zero group
    ladder_reached, ladder_went_on : int64, shape (groups,); of all dates, not of the window: customers with at least
        i + 1 orders, and those of them with one more
    """

    exactly: Int64s
    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s
    ladder_reached: Int64s
    ladder_went_on: Int64s

    @property
    def groups(self) -> int:
        """The number of orders of the last group, which is open."""
        return int(self.customers.size) - 1

    @property
    def with_orders(self) -> int:
        """Customers with an order inside the window."""
        return int(self.customers[1:].sum())

    @property
    def mean(self) -> float:
        """Orders per customer with an order in the window; NaN where there is none."""
        return int(self.orders.sum()) / self.with_orders if self.with_orders else float("nan")

    @property
    def median(self) -> float:
        """Median of the same; NaN where there is none."""
        if not self.with_orders:
            return float("nan")
        up_to = np.cumsum(self.exactly[1:])
        low, high = (self.with_orders - 1) // 2, self.with_orders // 2
        return float(np.searchsorted(up_to, low, side="right") + np.searchsorted(up_to, high, side="right") + 2) / 2

    @property
    def mode(self) -> int:
        """The number of orders that most customers placed; the smallest of several; 0 where there is none."""
        return 1 + int(np.argmax(self.exactly[1:])) if self.with_orders else 0


@dataclass(frozen=True, eq=False)
class OrderCounts(OrderCountTable, MadeLater):
    """The same from ``first_day`` to ``last_day``, both included, and whose they are.

    ``of_customer`` : int64, shape (customers looked at,); orders inside the window, by ``history.customers``.
    """

    history: History
    first_day: int
    last_day: int
    of_customer: Int64s

    def behind(self, groups: NDArray[np.int64]) -> Behind:
        """The customers of some groups, and their orders inside the window; of the zero group there are none."""
        book = self.history.book
        wanted = np.zeros(self.groups + 1, np.bool_)
        wanted[groups] = True
        chosen = self.history.customers[wanted.take(np.minimum(self.of_customer, self.groups))]
        of_them = np.zeros(book.customer_count, np.bool_)
        of_them[chosen] = True
        inside = self.history.within(self.first_day, self.last_day)
        inside &= of_them.take(book.customer)
        return Behind(chosen.astype(np.int32), np.flatnonzero(inside))


@adds_up
def order_counts(history: History, first_day: int, last_day: int, groups: int) -> OrderCounts:
    """Count a window. ``groups`` : the number of orders of the last, open group, from 1 to `ORDER_COUNTS_MOST`.

    The ladder is that of the whole history, so its latest steps are still running.
    """
    book, looked_at = history.book, history.customers
    if not 1 <= groups <= ORDER_COUNTS_MOST:
        raise ValueError(f"{groups} groups")
    if history.shown is None:
        counts, revenue = _by_day(book).inside(first_day, last_day)
    else:
        inside = history.within(first_day, last_day)
        counts = np.diff(starts_of_kept(book, inside))
        revenue = np.diff(running(np.where(inside, book.amount_minor, 0)).take(book.starts))
    every_customer = looked_at.size == book.customer_count
    mine = counts if every_customer else counts.take(looked_at)
    group = np.minimum(mine, groups)
    exactly = np.bincount(mine)
    customers, money = count_and_sum(
        blocks_of(revenue if every_customer else revenue.take(looked_at)), group, groups + 1
    )
    orders = customers * np.arange(groups + 1)
    orders[groups] = int(mine.sum()) - int(orders[:groups].sum())
    found = exactly, customers, orders, money, *_ladder(book, groups)
    return OrderCounts(*found, history, first_day, last_day, mine)


@dataclass(frozen=True, eq=False)
class MonthlyOrders:
    """``first`` : index of the first month with a shown order, or that of the as-of date. ``orders`` : int64, shape
    (months,), the shown ones of each month up to that of the as-of date."""

    first: int
    orders: Int64s

    def __add__(self, other: MonthlyOrders) -> MonthlyOrders:
        """Those of two parts of a book."""
        on = Together.by_period((self.first, self.orders.size), (other.first, other.orders.size))
        return MonthlyOrders(on.first, on.of(self.orders, other.orders))


@adds_up
def monthly_orders(history: History) -> MonthlyOrders:
    """Count the shown orders by month."""
    last = period_of_day(history.rule.as_of_day, Period.MONTH)
    if history.shown_order_count == 0:
        return MonthlyOrders(last, np.zeros(1, np.int64))
    first, codes = history.book.period(Period.MONTH)
    orders = np.bincount(codes if history.shown is None else codes[history.shown], minlength=last - first + 1)
    ahead = int(np.flatnonzero(orders)[0])
    return MonthlyOrders(first + ahead, orders[ahead:])


@kept
def _ladder(book: OrderBook, groups: int) -> tuple[Int64s, Int64s]:
    """Customers with at least i orders, and with at least i + 1, for i from 1; int64, shape (groups,)."""
    exactly = np.bincount(np.minimum(book.counts.take(book.ordering), groups + 1), minlength=groups + 2)
    at_least = np.cumsum(exactly[::-1])[::-1]
    return at_least[1 : groups + 1], at_least[2 : groups + 2]


@dataclass(frozen=True, eq=False)
class _ByDay:
    """The customers of the orders of a book in the sequence of their dates.

    ``first_day`` : of the book. ``begins`` : int64, shape (customers,), where the orders of each customer begin.
    ``starts`` : int64, where the orders of each day begin, from that first day. ``customer`` : int32, shape (orders,).
    ``sums`` : orders of each customer before every one of some places, evenly apart; shape (places, customers), so that
    never many orders are left to count. ``running`` : sums of the amounts before each order of the book and in all,
    int64, shape (orders + 1,).
    """

    first_day: int
    begins: Int64s
    starts: Int64s
    customer: NDArray[np.int32]
    places: Int64s
    sums: NDArray[np.integer[Any]]
    running: Int64s

    def inside(self, first_day: int, last_day: int) -> tuple[Int64s, Int64s]:
        """Orders and revenue of each customer in a stretch of days; int64, shape (customers,)."""
        low, high = self._before(first_day), self._before(last_day + 1)
        return high - low, self.running.take(self.begins + high) - self.running.take(self.begins + low)

    def _before(self, day: int) -> Int64s:
        """Orders of each customer before a day; int64, shape (customers,)."""
        end = int(self.starts[min(max(day - self.first_day, 0), self.starts.size - 1)])
        nearest = int(np.abs(self.places - end).argmin())
        place, length = int(self.places[nearest]), self.begins.size
        if place <= end:
            before: Int64s = self.sums[nearest] + np.bincount(self.customer[place:end], minlength=length)
        else:
            before = self.sums[nearest] - np.bincount(self.customer[end:place], minlength=length)
        return before


@kept
def _by_day(book: OrderBook) -> _ByDay:
    first, last = book.day_span
    if isinstance(book, Beginning):
        # every thread is the beginning of a longer one, and every day stands before the later ones
        longer = _by_day(book.beginning_of)
        return replace(longer, starts=longer.starts[: max(last - longer.first_day, -1) + 2])
    after_first = (book.day - np.int32(first)).astype(np.uint16 if last - first < 1 << 16 else np.int32)
    customer = book.customer.take(np.argsort(after_first, kind="stable"))
    starts = np.zeros(max(last - first, 0) + 2, np.int64)
    np.cumsum(np.bincount(after_first, minlength=starts.size - 1), out=starts[1:])
    places = np.linspace(0, customer.size, _PLACES + 1).astype(np.int64)
    most = int(book.counts.max(initial=0))
    sums = np.zeros((places.size, book.customer_count), np.uint16 if most < 1 << 16 else np.int32)
    for at, (begin, end) in enumerate(pairwise(places.tolist())):
        sums[at + 1] = sums[at] + np.bincount(customer[begin:end], minlength=book.customer_count)
    return _ByDay(first, book.starts[:-1], starts, customer, places, sums, running_amounts(book))
