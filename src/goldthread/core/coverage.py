"""Orders per month and source: where a delivery seems to be missing or doubled (``docs/definitions.md``, 1.12)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Period
from goldthread.core.history.history import History
from goldthread.core.parts import Together, adds_up

NEIGHBOURS = 6
"""Months on either side that say what is usual for a month."""
FEW = 10
"""Months with fewer orders than this are never taken for doubled."""

OUT_OF_SEASON = 1.5
"""A month that is this many times the same month of other years is no season."""
MONTHS_OF_YEAR = 12


@dataclass(frozen=True, eq=False)
class Coverage:
    """Orders of every status by source and calendar month.

    Attributes
    ----------
    sources : names, one per row
    first_month : months since January 1970 of the first column
    orders : int64, shape (sources, months)
    """

    sources: tuple[str, ...]
    first_month: int
    orders: NDArray[np.int64]

    def __add__(self, other: Coverage) -> Coverage:
        """That of two parts of a book."""
        runs = ((each.first_month, int(each.orders.shape[1])) for each in (self, other))
        on = Together.by_period(*runs)
        return Coverage(self.sources, on.first, on.of(self.orders, other.orders, axis=1))

    @cached_property
    def usual(self) -> NDArray[np.float64]:
        """Median of the months around each month, itself left out and within its source's first and last month only.

        float64, shape (sources, months); NaN outside that span and where it has no neighbour.
        """
        usual = np.full(self.orders.shape, np.nan)
        for row, counts in enumerate(self.orders):
            filled = np.flatnonzero(counts)
            if filled.size == 0:
                continue
            low, high = int(filled[0]), int(filled[-1]) + 1
            for month in range(low, high):
                around = np.r_[
                    counts[max(low, month - NEIGHBOURS) : month], counts[month + 1 : min(high, month + 1 + NEIGHBOURS)]
                ]
                if around.size:
                    usual[row, month] = np.median(around)
        return usual

    @cached_property
    def season(self) -> NDArray[np.int64]:
        """The most orders in the same month of the year before or after; −1 where the source has neither year; int64,
        shape (sources, months)."""
        season = np.full(self.orders.shape, -1, np.int64)
        known = ~np.isnan(self.usual)
        orders = np.where(known, self.orders, -1)
        later, earlier = season[:, MONTHS_OF_YEAR:], season[:, :-MONTHS_OF_YEAR]
        np.maximum(later, orders[:, :-MONTHS_OF_YEAR], out=later)
        np.maximum(earlier, orders[:, MONTHS_OF_YEAR:], out=earlier)
        return season

    @property
    def missing(self) -> NDArray[np.bool_]:
        """Months without an order in a source that usually has some around that time, and in that month of the year;
        bool, shape (sources, months)."""
        empty: NDArray[np.bool_] = (self.orders == 0) & (np.nan_to_num(self.usual) > 0) & (self.season != 0)
        return empty

    @property
    def doubled(self) -> NDArray[np.bool_]:
        """Months with at least twice the usual number of orders, at least `FEW`, that are no season of every year;
        bool, shape (sources, months)."""
        usual = np.nan_to_num(self.usual)
        out_of_season = self.orders >= OUT_OF_SEASON * np.maximum(self.season, 0)
        many: NDArray[np.bool_] = (self.orders >= FEW) & (usual > 0) & (self.orders >= 2 * usual) & out_of_season
        return many


@dataclass(frozen=True)
class Turned:
    """Months that some orders make look doubled, and months that they leave without an order; since January 1970."""

    doubled: tuple[int, ...]
    missing: tuple[int, ...]


def turned_odd(before: Coverage, source: str, added: Mapping[int, int]) -> Turned:
    """What looks odd of a source with some orders more, by month, and did not before."""
    known = before.sources.index(source) if source in before.sources else None
    counts = np.zeros(0, np.int64) if known is None else before.orders[known]
    own = Coverage((source,), before.first_month, counts[np.newaxis])
    if not added:
        return Turned((), ())
    first = min(added)
    more = np.zeros((1, max(added) - first + 1), np.int64)
    for month, orders in added.items():
        more[0, month - first] = orders
    after = own + Coverage((source,), first, more)

    def months(marked: NDArray[np.bool_], first_month: int) -> set[int]:
        return {first_month + int(place) for place in np.flatnonzero(marked[0])}

    doubled = months(after.doubled, after.first_month) - months(own.doubled, own.first_month)
    missing = months(after.missing, after.first_month) - months(own.missing, own.first_month)
    return Turned(tuple(sorted(doubled & added.keys())), tuple(sorted(missing)))


@dataclass(frozen=True, eq=False)
class SourceDays:
    """On which days each source has an order: ``orders`` int64, shape (sources,); ``days`` bool, shape (sources, days),
    from ``first_day`` on."""

    sources: tuple[str, ...]
    first_day: int
    orders: NDArray[np.int64]
    days: NDArray[np.bool_]

    def __add__(self, other: SourceDays) -> SourceDays:
        """Those of two parts of a book."""
        on = Together.by_period(*((each.first_day, each.days.shape[1]) for each in (self, other)))
        days = on.of(self.days, other.days, np.logical_or, axis=1)
        return SourceDays(self.sources, on.first, self.orders + other.orders, days)


@adds_up
def source_days(history: History) -> SourceDays:
    """Every day of a history by source: one pass."""
    book, source = history.book, history.book.attributes["source"]
    first, last = book.day_span
    orders = np.bincount(source.codes, minlength=len(source.labels))
    days = np.zeros((orders.size, last - first + 1), np.bool_)
    days.ravel()[source.codes.astype(np.int32) * np.int32(last - first + 1) + (book.day - np.int32(first))] = True
    return SourceDays(source.labels, first, orders, days)


def coverage(book: OrderBook) -> Coverage:
    """Count a book's orders by source and month: one pass."""
    first, month = book.period(Period.MONTH)
    source = book.attributes["source"]
    months = int(month.max()) + 1 if month.size else 0
    cells = source.codes.astype(np.int64) * months + month
    counts = np.bincount(cells, minlength=len(source.labels) * months).reshape(len(source.labels), months)
    return Coverage(source.labels, first, counts)


def shared_customers(book: OrderBook) -> NDArray[np.int64]:
    """Customers with an order in each pair of sources, own ones on the diagonal; int64, shape (sources, sources)."""
    source = book.attributes["source"]
    count = len(source.labels)
    if count == 0:
        return np.zeros((0, 0), np.int64)
    pairs = np.zeros(book.customer_count * count, np.bool_)
    pairs[book.customer.astype(np.int64) * count + source.codes] = True
    present = pairs.reshape(-1, count)
    shared = np.zeros((count, count), np.int64)
    for one in range(count):
        shared[one] = present[present[:, one]].sum(axis=0)
    return shared
