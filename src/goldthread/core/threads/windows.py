"""A window of a long list that parts of a book hold in sequence, however deep in it, without moving the list.

Method: each part shows some of its rows, evenly apart. How many rows stand before each of these is counted by all
parts, so that the window lies between two of them; and so on between these, until few enough rows are left to be sent.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.history.history import History
from goldthread.core.history.of_parts import extent
from goldthread.core.parts import Sums, adds_up
from goldthread.core.threads.listing import SortedRows

Int64s = NDArray[np.int64]
ROWS_SENT_MOST = 4_000
"""So few rows are sent as they are."""
SHOWN_MOST = 64
"""Rows that each part shows in a round, and all together."""
_TOGETHER_MOST = 256
_ROUNDS_MOST = 12


@dataclass(frozen=True)
class ListedBy:
    """The customers who are looked at, in the sequence of a field."""

    field: str
    descending: bool

    def __call__(self, history: History) -> SortedRows:
        def sort() -> SortedRows:
            values, before = history.fields.values(self.field), history.book.first_customer
            return SortedRows.of(values, history.customers, descending=self.descending, before=before)

        return history.once(self, sort)


@dataclass(frozen=True, eq=False)
class Between:
    """A stretch of a list: from one of its rows, itself inside, to before another one; None for an end of the list."""

    low: SortedRows | None = None
    high: SortedRows | None = None

    def of(self, rows: SortedRows) -> SortedRows:
        """What a part has of it."""
        start = 0 if self.low is None else int(rows.before(self.low)[0])
        end = rows.rows.size if self.high is None else int(rows.before(self.high)[0])
        return rows.some(np.arange(start, max(end, start)))


@dataclass(frozen=True, eq=False)
class Before(Sums):
    """How many rows stand before each of some; int64."""

    rows: Int64s


@adds_up
def rows_between(history: History, by: ListedBy, stretch: Between) -> SortedRows:
    """The rows of a stretch."""
    return stretch.of(by(history))


@adds_up
def shown_between(history: History, by: ListedBy, stretch: Between) -> SortedRows:
    """A few rows of a stretch, evenly apart."""
    return _thinned(stretch.of(by(history)), SHOWN_MOST)


@adds_up
def rows_before(history: History, by: ListedBy, some: SortedRows) -> Before:
    """Count the rows before each of some."""
    return Before(by(history).before(some))


def _thinned(rows: SortedRows, most: int) -> SortedRows:
    count = rows.rows.size
    return rows if count <= most else rows.some(np.arange(most) * count // most)


@dataclass(frozen=True, eq=False)
class ListApart:
    """A list that parts of a book hold: how many rows it has, and some of them from a place on, which are places of
    customers in the whole; int64."""

    count: int
    window: Callable[[int, int], Int64s]


def list_apart(history: History, by: ListedBy) -> ListApart | None:
    """The list of a history whose parts are elsewhere; None where they are not."""
    if history.elsewhere is None:
        return None
    count = extent(history).customer_count
    return ListApart(count, lambda offset, limit: _window(history, by, count, offset, limit))


def _window(history: History, by: ListedBy, count: int, offset: int, limit: int) -> Int64s:
    """The rows from one place of a list on, of which there are ``count``."""
    stretch, start, end = Between(), 0, count
    for _ in range(_ROUNDS_MOST):
        if end - start <= ROWS_SENT_MOST:
            break
        shown = _thinned(shown_between(history, by, stretch), _TOGETHER_MOST)
        before = rows_before(history, by, shown).rows
        low = int(np.searchsorted(before, offset, side="right")) - 1
        high = int(np.searchsorted(before, offset + limit, side="left"))
        narrower = Between(
            shown.some(np.array([low])) if low >= 0 else stretch.low,
            shown.some(np.array([high])) if high < before.size else stretch.high,
        )
        start = int(before[low]) if low >= 0 else start
        end = int(before[high]) if high < before.size else end
        stretch = narrower
    found = rows_between(history, by, stretch).rows
    return found[offset - start : offset - start + limit]
