"""The thread of each customer: first and latest order, rank, gaps (``docs/definitions.md``, section 3)."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.filtered import Beginning
from goldthread.core.book.order_book import OrderBook, kept

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]

NO_GAP = -1
"""In `gap_days`: a first order has no gap. Gaps themselves are never negative."""


@kept
def first_orders(book: OrderBook) -> Int64s:
    """Position of the first order of each customer in ``book.ordering``; int64."""
    return book.starts.take(book.ordering)


@kept
def first_days(book: OrderBook) -> Int32s:
    """Day of the first order of each customer in ``book.ordering``; int32, days since 1970-01-01."""
    longer = book.beginning_of
    return book.day.take(first_orders(book)) if longer is None else book.of_ordering(first_days(longer))


def latest_orders(book: OrderBook) -> Int64s:
    """Position of the latest order (greatest date, never the last entered) of each customer in ``book.ordering``;
    int64, shape (ordering customers,)."""
    return book.starts.take(book.ordering + 1) - 1


@kept
def rank(book: OrderBook) -> Int32s:
    """Rank of each order within its customer's thread, from 1; int32, shape (orders,)."""
    before = np.repeat(book.starts[:-1].astype(np.int32), book.counts)
    return np.arange(1, book.order_count + 1, dtype=np.int32) - before


@kept
def gap_days(book: OrderBook) -> Int32s:
    """Whole days since the order before; int32, shape (orders,), `NO_GAP` at each first order."""
    if isinstance(book, Beginning):
        return book.of_longer(gap_days(book.beginning_of))
    gaps = np.empty(book.order_count, np.int32)
    np.subtract(book.day[1:], book.day[:-1], out=gaps[1:])
    gaps[first_orders(book)] = NO_GAP
    return gaps


def sorted_within(owner: NDArray[Any], gaps: NDArray[Any]) -> Int64s:
    """Gaps sorted within their owners, who ascend; int64. Owner and gap are packed into one integer and sorted as
    values."""
    bits = max(int(gaps.max(initial=0)), 1).bit_length()
    packed = owner.astype(np.int64) << bits
    packed |= gaps
    packed.sort()
    packed &= (1 << bits) - 1
    return packed


def quantile_of_each(ordered: Int64s, starts: Int64s, sizes: Int64s, share: float) -> Floats:
    """The value below which a share of each owner's sorted gaps lies, between the two nearest ones; float64."""
    place = share * (sizes - 1)
    low, high = (ordered.take(starts + at.astype(np.int64)) for at in (np.floor(place), np.ceil(place)))
    between: Floats = low + (high - low) * (place - np.floor(place))
    return between


def gap_count(book: OrderBook) -> int:
    """Number of gaps between orders of one customer."""
    return int(np.count_nonzero(gap_days(book) != NO_GAP))


def average_gap_days(book: OrderBook) -> Floats:
    """(latest − first) / (orders − 1) of each customer; float64, shape (customers,), NaN below two orders."""
    result = np.full(book.customer_count, np.nan)
    apart = book.latest_days - first_days(book)
    counts = book.counts.take(book.ordering)
    several = counts > 1
    result[book.ordering[several]] = apart[several] / (counts[several] - 1)
    return result
