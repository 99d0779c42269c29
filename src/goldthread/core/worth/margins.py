"""Gross margin: one share for all orders, or one for each month (``docs/definitions.md``, section 9)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import BLOCK_ORDERS, blocks
from goldthread.core.choices import Period
from goldthread.core.cohorts.cells import Cells
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.history.history import History

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Margins:
    """What share of revenue is left after the cost of goods, 0 … 1.

    ``base`` holds until the first of ``changes``: month indices, ascending, each with the margin from that month on.
    """

    base: float
    changes: tuple[tuple[int, float], ...] = ()

    def of_months(self, first: int, count: int) -> Floats:
        """The margin of each of some months; float64, shape (count,). ``first`` : index of the first of them."""
        shares = np.full(count, self.base)
        for month, share in self.changes:
            shares[max(0, month - first) :] = share
        return shares

    def gross_blocks(self, history: History, size: int = BLOCK_ORDERS) -> Iterator[tuple[slice | Int64s, Floats]]:
        """The shown orders block by block: where they stand in the history's book, and what each brought less the cost
        of goods; float64, ten-thousandths."""
        book, shown = history.book, history.shown_orders
        if self.changes:
            first, months = book.period(Period.MONTH)
            shares = self.of_months(first, int(months.max(initial=0)) + 1)
        for block in blocks(book.order_count if shown is None else shown.size, size):
            here = block if shown is None else shown[block]
            gross = book.amount_minor[here].astype(np.float64)
            gross *= shares.take(months[here]) if self.changes else self.base
            yield here, gross

    def of_cells(self, history: History, cells: Cells | NDArray[np.int64], counts: list[CohortCounts]) -> list[Floats]:
        """Revenue less the cost of goods in the cells of each group, ten-thousandths; float64, shape (cohorts, ages).

        ``cells`` : group · cells of a table + cell of each order of the history's book. Sums of doubles: exact to some
        fifteen digits where margins differ, and margin · exact revenue where they do not.
        """
        if not self.changes:
            return [each.revenue_minor.astype(np.float64) * self.base for each in counts]
        shape = (len(counts), *counts[0].customers.shape)
        sums = np.zeros(int(np.prod(shape)))
        for here, gross in self.gross_blocks(history, max(BLOCK_ORDERS, sums.size)):
            sums += np.bincount(cells[here], gross, minlength=sums.size)
        return [*sums.reshape(shape)]
