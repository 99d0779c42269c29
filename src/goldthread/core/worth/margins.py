"""Gross margin: one share for all orders, or one for each month (``docs/definitions.md``, section 9)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import Period
from goldthread.core.cohorts.cells import Cells
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.history.history import History

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

    def of_orders(self, history: History) -> Floats | float:
        """The margin of each order of the history's book, float64, shape (orders,); one number where all have it."""
        if not self.changes:
            return self.base
        first, codes = history.book.period(Period.MONTH)
        return self.of_months(first, int(codes.max(initial=0)) + 1).take(codes)

    def of_cells(self, history: History, cells: Cells | NDArray[np.int64], counts: list[CohortCounts]) -> list[Floats]:
        """Revenue less the cost of goods in the cells of each group, ten-thousandths; float64, shape (cohorts, ages).

        ``cells`` : group · cells of a table + cell of each order of the history's book. Sums of doubles: exact to some
        fifteen digits where margins differ, and margin · exact revenue where they do not.
        """
        if not self.changes:
            return [each.revenue_minor.astype(np.float64) * self.base for each in counts]
        shape = (len(counts), *counts[0].customers.shape)
        gross = history.book.amount_minor * self.of_orders(history)
        if history.shown_orders is not None:
            cells, gross = cells.take(history.shown_orders), gross.take(history.shown_orders)
        sums: Floats = np.bincount(cells, gross, minlength=int(np.prod(shape))).reshape(shape)
        return [*sums]
