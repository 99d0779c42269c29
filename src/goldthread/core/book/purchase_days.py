"""A book of purchase days: all of a customer's orders on one date count as one (``docs/definitions.md``, 1.15)."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import BLOCK_ORDERS, Int64s
from goldthread.core.book.filtered import FilteredBook
from goldthread.core.book.lines import OrderLines
from goldthread.core.book.order_book import OrderBook


class _PurchaseDays(FilteredBook):
    """The first order of each date of each customer, with the amounts of that date together."""

    def __getattr__(self, name: str) -> Any:
        if name != "amount_minor":
            return super().__getattr__(name)
        amounts = np.add.reduceat(self._parent.amount_minor, np.flatnonzero(self._mask))
        self.__dict__[name] = amounts
        return amounts

    @property
    def joined(self) -> Int64s:
        return np.diff(np.flatnonzero(self._mask), append=self._mask.size)

    def order_lines(self) -> OrderLines:
        return self.derived("order lines", lambda: self._parent.order_lines().joined(self._mask))

    @cached_property
    def largest_amount_minor(self) -> int:
        return max(int(self.amount_minor.max()), -int(self.amount_minor.min()))

    def amount_blocks(self, size: int = BLOCK_ORDERS) -> Iterator[tuple[slice, Int64s]]:
        return OrderBook.amount_blocks(self, size)


def purchase_days(book: OrderBook) -> OrderBook:
    """The same customers with one order for each date on which they bought; the book itself when no date has two.

    A purchase day has the attributes, number and id of its first order, and the sum of the amounts. Linear, no sort.
    """
    first = first_of_each_day(book)
    return book if bool(first.all()) else _PurchaseDays.of(book, first)


def first_of_each_day(book: OrderBook) -> NDArray[np.bool_]:
    """The orders before which a customer has none on the same date; bool, shape (orders,)."""
    first = np.ones(book.order_count, np.bool_)
    np.not_equal(book.day[1:], book.day[:-1], out=first[1:])
    first[book.starts.take(book.ordering)] = True
    return first
