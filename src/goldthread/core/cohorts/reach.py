"""How far each customer came: the ages of the latest order and of the first one after the first period."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.cells import Cells, again_at, age_count, cells_of, first_periods
from goldthread.core.history.history import History
from goldthread.core.threads.gaps import first_orders

Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Reach:
    """Customers by the age of their latest order, and by the age of their first order at age 1 or later; int64, shape
    (cohorts, ages)."""

    latest: Int64s
    returned: Int64s


@dataclass(frozen=True, eq=False)
class Reaching:
    """How far each customer came; arrays have one place per customer with a shown order.

    ``customer`` : int, places of customers in the book. ``latest``, ``returned`` : cell of the latest order and of the
    first order at age 1 or later, −1 where there is none; int64.
    """

    customer: Int64s
    latest: Int64s
    returned: Int64s

    def among(self, wanted: NDArray[np.bool_]) -> Reaching:
        """Those of some customers; bool, shape (customers of the book,)."""
        kept = np.flatnonzero(wanted.take(self.customer))
        return Reaching(self.customer.take(kept), self.latest.take(kept), self.returned.take(kept))


def reaching(history: History, period: Period, age_kind: AgeKind, first_cohort: int, ages: int) -> Reaching:
    """The cells in which each customer's shown orders begin again and end, of a table that begins with a cohort.

    Within a customer's slice ages never fall, so the orders at age 0 stand first: counting them gives the place of the
    first later one.
    """
    book, shown = history.book, history.shown_orders
    if shown is None:
        return _reaching_all(book, period, age_kind, first_cohort, ages)
    cells = cells_of(book, period, age_kind, first_cohort, ages)
    who = book.customer.take(shown)
    if who.size == 0:
        none = np.zeros(0, np.int64)
        return Reaching(none, none, none)
    starts = np.flatnonzero(np.append(True, who[1:] != who[:-1]))
    customer, inside = who.take(starts).astype(np.int64), cells.take(shown)
    counts = np.diff(np.append(starts, who.size))
    home = cells.take(book.starts.take(customer))
    at_home = np.add.reduceat(np.repeat(home, counts) == inside, starts, dtype=np.int64)
    return _reached(customer, inside, starts, counts, at_home)


@kept
def _reaching_all(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, ages: int) -> Reaching:
    """As `reaching` where every order is shown: what stands at age 0 beyond the first follows an order in its cell."""
    longer = book.beginning_of
    if longer is not None:
        return _reaching_so_far(book, longer, (period, age_kind, first_cohort), ages)
    cells = cells_of(book, period, age_kind, first_cohort, ages)
    customer, starts = book.ordering, first_orders(book)
    again = again_at(book, period, age_kind, cells)
    who = book.customer.take(again)
    at_first = cells.take(again) == cells.take(book.starts.take(who))
    at_home = np.bincount(who[at_first], minlength=book.customer_count).take(customer) + 1
    return _reached(customer, cells, starts, book.counts.take(customer), at_home)


def _reaching_so_far(book: OrderBook, longer: OrderBook, way: tuple[Period, AgeKind, int], ages: int) -> Reaching:
    """Of threads that are the beginnings of longer ones: whoever had come back by the end of the longer one has by the
    end of this one, unless that ends at age 0."""
    wide = age_count(longer, *way, longer.day_span[1])
    whole = _reaching_all(longer, *way, wide)
    customer = book.ordering
    latest = cells_of(longer, *way, wide).take(longer.starts.take(customer) + book.counts.take(customer) - 1)
    row = first_periods(book, way[0]).astype(np.int64) - way[2]
    returned = np.where(latest > row * wide, book.of_ordering(whole.returned), -1)
    # a row of the table is shorter by so many ages
    ahead = row * (wide - ages)
    return Reaching(customer, latest - ahead, np.where(returned < 0, -1, returned - ahead))


def _reached(customer: Int64s, inside: Cells, starts: Int64s, counts: Int64s, at_home: Int64s) -> Reaching:
    returned = np.full(starts.size, -1, np.int64)
    later = np.flatnonzero(at_home < counts)
    returned[later] = inside.take((starts + at_home).take(later))
    return Reaching(customer, inside.take(starts + counts - 1).astype(np.int64), returned)


def reach_of(reached: Reaching, shape: tuple[int, int]) -> Reach:
    length = shape[0] * shape[1]
    returned = reached.returned[reached.returned >= 0]
    return Reach(
        np.bincount(reached.latest, minlength=length).reshape(shape),
        np.bincount(returned, minlength=length).reshape(shape),
    )
