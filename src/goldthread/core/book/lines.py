"""Order lines: what each order holds, by product and category, read when it is first asked for.

Most questions need no lines, and there are several to an order, so they stand outside the book until one does.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, Int64s


@dataclass(frozen=True, eq=False)
class OrderLines:
    """The lines of a book's orders, one entry each, in the sequence of the orders.

    ``order`` : int64, positions of the orders in the book, ascending. ``product``, ``category`` : labels as the files
    write them; an empty one stands for a blank. ``amount_minor`` : int64, ten-thousandths of the currency unit.
    """

    order: Int64s
    product: Attribute
    category: Attribute
    amount_minor: Int64s

    def kept(self, mask: NDArray[np.bool_]) -> OrderLines:
        """The lines of the orders in a mask, in the book of these orders alone; bool, shape (orders,)."""
        place = np.cumsum(mask) - 1
        lines = np.flatnonzero(mask.take(self.order))
        return OrderLines(
            place.take(self.order.take(lines)),
            Attribute(self.product.codes.take(lines), self.product.labels),
            Attribute(self.category.codes.take(lines), self.category.labels),
            self.amount_minor.take(lines),
        )

    def joined(self, first_of_each: NDArray[np.bool_]) -> OrderLines:
        """The same lines where several orders in a row stand as one; ``first_of_each`` marks the first of these."""
        return OrderLines(
            (np.cumsum(first_of_each) - 1).take(self.order), self.product, self.category, self.amount_minor
        )

    def labels(self, of: str) -> Attribute:
        """By ``product`` or ``category``."""
        return self.product if of == "product" else self.category


ReadLines = Callable[[Int64s], OrderLines]
"""Gives the lines of orders, named by their ids."""


def _no_lines(_order_id: Int64s) -> OrderLines:
    none, blank = np.zeros(0, np.int64), Attribute(np.zeros(0, np.uint16), ("",))
    return OrderLines(none, blank, blank, none)


@dataclass(frozen=True, eq=False)
class LinesOnRecord:
    """The lines of a book; safe to use from several threads."""

    read: ReadLines = _no_lines
    _found: list[OrderLines] = field(default_factory=list, repr=False)
    _lock: Lock = field(default_factory=Lock, repr=False)

    @property
    def found(self) -> OrderLines | None:
        """The lines where they were read already."""
        return next(iter(self._found), None)

    def of(self, order_id: Int64s) -> OrderLines:
        """The lines of the book's orders; kept once they were read."""
        with self._lock:
            if not self._found:
                self._found.append(self.read(order_id))
            return self._found[0]
