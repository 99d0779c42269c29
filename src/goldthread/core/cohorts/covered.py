"""What stands behind cells of a cohort table together, as a value that can be sent to the parts of a book."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.cohorts.table import CohortTable, GroupsOf
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History

Mask = NDArray[np.bool_]
Members = Callable[[History], Mask]
"""Gives who of the customers of a history's book is meant; bool, shape (customers,). It can be sent."""


@dataclass(frozen=True)
class InGroup:
    """Who is in one of some groups."""

    of: GroupsOf
    group: int

    def __call__(self, history: History) -> Mask:
        inside: Mask = self.of(history) == self.group
        return inside


@dataclass(frozen=True, eq=False)
class Covered:
    """What stands behind some cells.

    ``wanted`` : bool, shape (cohorts, ages). ``among`` : whose orders count; None for everybody's. ``cohorts`` : bool,
    shape (cohorts,); of these all customers stand behind the figure, with or without an order in its cells; None for
    those with one. ``away`` : those of the cohorts alone who have no such order.
    """

    table: Callable[[Any], CohortTable]
    wanted: Mask
    among: Members | None = None
    cohorts: Mask | None = None
    away: bool = False

    def __call__(self, history: History) -> Behind:
        table, book = self.table(history), history.book
        among = None if self.among is None else self.among(history)
        found = table.behind_cells(self.wanted)
        if among is not None:
            found = Behind.of(book, found.orders[among.take(book.customer.take(found.orders))])
        if self.cohorts is None or self.wanted.size == 0:
            return found
        everybody = book.ordering[self.cohorts.take(table.cohort_of_customers())]
        if among is not None:
            everybody = everybody[among.take(everybody)]
        if not self.away:
            return Behind(everybody.astype(np.int32), found.orders)
        away = everybody[~np.isin(everybody, found.customers, assume_unique=True)]
        return Behind(away.astype(np.int32), np.zeros(0, np.int64))
