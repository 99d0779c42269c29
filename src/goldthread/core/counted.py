"""What a figure counts, wherever the book is: how much, whose it is, and a window of these customers with their orders.

Of a book in parts the totals are added up, and the customers of a window alone are read here, however many stand behind
the figure.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.parts import MadeLater, Sums, adds_up
from goldthread.core.standing.tally import with_orders
from goldthread.core.threads.listing import SortedRows
from goldthread.core.threads.windows import RowsInSequence

Int64s = NDArray[np.int64]
Find = Callable[[History], Behind]
"""Finds in a history, or in a part of it, what stands behind a figure. It can be sent where parts are elsewhere."""


@dataclass(frozen=True)
class Tallied(Sums):
    """Distinct customers, orders, and the exact sum of their amounts in ten-thousandths."""

    customers: int
    orders: int
    revenue_minor: int


@adds_up
def tallied(history: History, find: Find) -> Tallied:
    """How much stands behind a figure."""
    return _tallied(history, find(history))


def _tallied(history: History, behind: Behind) -> Tallied:
    revenue = int(history.book.amount_minor.take(behind.orders).sum())
    return Tallied(int(behind.customers.size), int(behind.orders.size), revenue)


Whom = Callable[[History], Int64s]
"""Gives some customers of a history by their places in its book, ascending; int64. It can be sent."""


@dataclass(frozen=True)
class OnList:
    """The customers of a list. ``name`` : what tells it from others; ``bits`` : one for each customer of the whole
    book, packed; uint8."""

    name: Hashable
    bits: NDArray[np.uint8] = field(compare=False, repr=False)

    @classmethod
    def of(cls, name: Hashable, members: NDArray[np.bool_]) -> OnList:
        """Those of a mask of all customers."""
        return cls(name, np.packbits(members))

    def __call__(self, history: History) -> NDArray[np.bool_]:
        """Who of the customers of a history's book is on it; bool, shape (customers,)."""
        return np.unpackbits(self.bits).view(np.bool_).take(history.book.places)


@dataclass(frozen=True)
class Having:
    """Who is looked at and has a label of a field of customers."""

    field: str
    label: str

    def __call__(self, history: History) -> Int64s:
        labels = history.fields.labels(self.field, None)
        return history.customers[labels.having(self.label).take(history.customers)]


@dataclass(frozen=True)
class Among:
    """Those of some customers who are on a list."""

    whom: Whom
    members: OnList

    def __call__(self, history: History) -> Int64s:
        customers = self.whom(history)
        return customers[self.members(history).take(customers)]


@dataclass(frozen=True)
class Without:
    """Those of some customers who are not among some others."""

    whom: Whom
    others: Whom

    def __call__(self, history: History) -> Int64s:
        return np.setdiff1d(self.whom(history), self.others(history), assume_unique=True)


@dataclass(frozen=True, eq=False)
class Numbers(Sums):
    """How many of several groups of customers there are; int64, shape (groups,)."""

    customers: Int64s


@adds_up
def numbers_of(history: History, groups: tuple[Whom, ...]) -> Numbers:
    """How many customers each of several groups has."""
    return Numbers(np.array([whom(history).size for whom in groups], np.int64))


@dataclass(frozen=True, eq=False)
class WithOrders:
    """Some customers with their counted orders."""

    whom: Whom

    def __call__(self, history: History) -> Behind:
        return with_orders(history, self.whom(history))


@dataclass(frozen=True, eq=False)
class _Customers:
    """The customers behind a figure, in the sequence of the book."""

    find: Find

    def __call__(self, history: History) -> SortedRows:
        return SortedRows.as_they_are(history.book.places.take(self.find(history).customers))


@dataclass(frozen=True, eq=False)
class _Figure:
    """What a table says stands behind one of its figures."""

    table: Callable[[History], Any]
    at: tuple[Any, ...]

    def __call__(self, history: History) -> Behind:
        behind: Behind = self.table(history).behind(*self.at)
        return behind


@dataclass(frozen=True, eq=False)
class Shown:
    """Some of the customers behind a figure: places in the history's book, int64, and which of its orders stand
    behind the figure."""

    history: History
    behind: Behind
    customers: Int64s


@dataclass(frozen=True, eq=False)
class Counted:
    """What a figure counts of a history."""

    history: History
    find: Find

    @classmethod
    def of_table(cls, history: History, table: MadeLater, *at: Any) -> Counted:
        """A figure of a table of this history; ``at`` : what its ``behind`` takes."""
        return cls(history, _Figure(table.again, at))

    @cached_property
    def tally(self) -> Tallied:
        """How much it counts."""
        if self.history.elsewhere is not None:
            return tallied(self.history, self.find)
        return _tallied(self.history, self.behind)

    @property
    def customers(self) -> int:
        return self.tally.customers

    @property
    def orders(self) -> int:
        return self.tally.orders

    @property
    def revenue_minor(self) -> int:
        return self.tally.revenue_minor

    @cached_property
    def behind(self) -> Behind:
        """All customers and orders, by their places in the book that is read here."""
        return self.find(self.history.here)

    @cached_property
    def members(self) -> RowsInSequence:
        """Whose the orders are, by their places in the whole book, ascending."""
        known = None if self.history.elsewhere is not None else self.behind.customers.astype(np.int64)
        return RowsInSequence(self.customers, self.history, _Customers(self.find), known)

    def window(self, offset: int, limit: int) -> Shown:
        """So many of the customers from a place on, in the sequence of the book."""
        return self.of_a_few(self.members.window(offset, limit))

    def each(self) -> Iterator[Shown]:
        """All of the customers, so many at once as can be read here."""
        return map(self.of_a_few, self.members.pieces())

    def of_a_few(self, members: Int64s) -> Shown:
        """Some of the customers."""
        history, places = self.history.of_a_few(members)
        return Shown(history, self.behind if history is self.history else self.find(history), places)
