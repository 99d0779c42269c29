"""Gross margin: one share for all orders, or one for each month (``docs/definitions.md``, section 9)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import blocks
from goldthread.core.book.summing import Codes, block_orders, exact_sums
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import CohortCounts, CohortTable, GroupsOf, table_among
from goldthread.core.history.history import History
from goldthread.core.limits import limit_cells
from goldthread.core.parts import Sums, adds_up

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
Block = slice | Int64s
_CELLS_MOST = 32_000_000
"""Cells of the revenue by margin."""


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

    @property
    def shares(self) -> Floats:
        """Each margin once, ascending; float64."""
        return np.unique([self.base, *(share for _, share in self.changes)])

    def revenue(self, history: History, cells: Callable[[Block], Codes], length: int) -> Int64s:
        """Exact revenue of the shown orders by margin and cell, ten-thousandths; int64, shape (shares, length). That of
        parts of a book adds up.

        ``cells`` : gives the cells of some orders of the history's book, by their positions.
        """
        book, shown, shares = history.book, history.shown_orders, self.shares
        cell_count = shares.size * length
        if self.changes:
            first, months = book.period(Period.MONTH)
            of_months = self.of_months(first, int(months.max(initial=0)) + 1)
            begins = np.searchsorted(shares, of_months) * length

        def each() -> Iterator[tuple[Codes, Int64s]]:
            for block in blocks(book.order_count if shown is None else shown.size, block_orders(cell_count)):
                here = block if shown is None else shown[block]
                inside = cells(here)
                yield (inside + begins.take(months[here]) if self.changes else inside), book.amount_minor[here]

        return exact_sums(each(), cell_count).reshape(shares.size, length)

    def gross(self, revenue: Int64s) -> Floats:
        """Revenue by margin, first axis, less the cost of goods; float64, the other axes."""
        less: Floats = np.tensordot(self.shares, revenue.astype(np.float64), 1)
        return less

    def of_cells(self, table: CohortTable, counts: Sequence[CohortCounts], of: GroupsOf | None = None) -> list[Floats]:
        """Revenue less the cost of goods in the cells of each group of customers, ten-thousandths; float64, shape
        (cohorts, ages). ``of`` : gives the group of each customer; None for all in one."""
        if not self.changes:
            return [each.revenue_minor.astype(np.float64) * self.base for each in counts]
        shape = (len(counts), *counts[0].customers.shape)
        limit_cells(
            int(np.prod(shape)) * self.shares.size,
            most=_CELLS_MOST,
            remedy="Choose a longer period, or fewer margins.",
            field="margin",
        )
        found = revenue_by_margin(table.history, table, self, of, len(counts))
        return [*self.gross(found.revenue_minor).reshape(shape)]


@dataclass(frozen=True, eq=False)
class RevenueByMargin(Sums):
    """Revenue by margin, and by group and cell of a cohort table; int64, shape (shares, groups · cells)."""

    revenue_minor: Int64s


@adds_up
def revenue_by_margin(
    history: History, every: CohortCounts, margins: Margins, of: GroupsOf | None, groups: int
) -> RevenueByMargin:
    """Add up the revenue of the shown orders. ``every`` : the table of all parts."""
    table = table_among(history, every)
    cells, length = table.cells().astype(np.int64), table.cohort_count * table.age_count
    if of is not None:
        cells += np.repeat(of(history), history.book.counts) * length
    return RevenueByMargin(margins.revenue(history, cells.__getitem__, groups * length))
