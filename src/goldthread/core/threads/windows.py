"""A window of a long list that parts of a book hold in sequence, however deep in it, without moving the list.

Method: each part shows some of its rows, evenly apart. How many rows stand before each of these is counted by all
parts, so that the window lies between two of them; and so on between these, until few enough rows are left to be sent.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.history.history import History
from goldthread.core.parts import Sums, adds_up
from goldthread.core.threads.listing import SortedRows

Int64s = NDArray[np.int64]
Listed = Callable[[History], SortedRows]
"""Gives the rows of a list that a history, or a part of it, has in sequence. It can be sent."""
ROWS_SENT_MOST = 4_000
"""So few rows are sent as they are."""
READ_AT_ONCE = 20_000
"""Rows whose orders are read here together."""
SHOWN_MOST = 64
"""Rows that each part shows in a round, and all together."""
_TOGETHER_MOST = 256
_ROUNDS_MOST = 12


@dataclass(frozen=True)
class ListedBy:
    """Customers in the sequence of a field; ``whom`` : gives them by their places, None for all who are looked at."""

    field: str
    descending: bool
    whom: Callable[[History], Int64s] | None = None

    def __call__(self, history: History) -> SortedRows:
        def sort() -> SortedRows:
            customers = history.customers if self.whom is None else self.whom(history)
            values, before = history.fields.values(self.field), history.book.first_customer
            return SortedRows.of(values, customers, descending=self.descending, before=before)

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
def rows_between(history: History, by: Listed, stretch: Between) -> SortedRows:
    """The rows of a stretch."""
    return stretch.of(by(history))


@adds_up
def shown_between(history: History, by: Listed, stretch: Between) -> SortedRows:
    """A few rows of a stretch, evenly apart."""
    return _thinned(stretch.of(by(history)), SHOWN_MOST)


@adds_up
def rows_before(history: History, by: Listed, some: SortedRows) -> Before:
    """Count the rows before each of some."""
    return Before(by(history).before(some))


def _thinned(rows: SortedRows, most: int) -> SortedRows:
    count = rows.rows.size
    return rows if count <= most else rows.some(np.arange(most) * count // most)


@dataclass(frozen=True, eq=False)
class RowsInSequence:
    """The rows of a long list. ``known`` : all of them, int64; None where parts of the ``history`` hold them, in the
    sequence that ``by`` gives."""

    count: int
    history: History
    by: Listed
    known: Int64s | None = None

    def window(self, offset: int, limit: int) -> Int64s:
        """So many rows from a place on; int64."""
        if self.known is not None:
            return self.known[offset : offset + limit]
        return window_of(self.history, self.by, self.count, offset, limit)

    @cached_property
    def rows(self) -> Int64s:
        """All of them; int64."""
        return rows_between(self.history, self.by, Between()).rows if self.known is None else self.known

    def pieces(self) -> Iterator[Int64s]:
        """All of them, so many at once as can be read here; of an empty list nothing at once."""
        most = READ_AT_ONCE if self.known is None else max(self.count, 1)
        for start in range(0, max(self.count, 1), most):
            yield self.rows[start : start + most]


def listed_rows(history: History, by: Listed, here: Callable[[], Int64s], count: Callable[[], int]) -> RowsInSequence:
    """The rows of a list: all of them as they are worked out ``here``, or of parts elsewhere, of which there are so
    many as ``count`` says."""
    if history.elsewhere is not None:
        return RowsInSequence(count(), history, by)
    rows = here()
    return RowsInSequence(int(rows.size), history, by, rows)


def window_of(history: History, by: Listed, count: int, offset: int, limit: int) -> Int64s:
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
