"""The gap that was expected before each order came, from what was known then (``docs/definitions.md``, section 6).

Before an order of rank n + 1 the customer has n orders: from four on their own median gap, before that the median gap
of everybody who had made that step by the day before.

Method: own medians are found from the last order back. The gaps of a customer are sorted and linked; each is taken out
in turn, and the median moves by one link at most. All customers go back together, rank by rank. Medians of a step are
read off a histogram of gaps that grows day by day.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.steps import median_of
from goldthread.core.history.facts import OWN_MEDIAN_FROM_ORDERS, gaps_at_step
from goldthread.core.threads.gaps import NO_GAP, gap_days, rank

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


@kept
def expected_before_days(book: OrderBook) -> Floats:
    """The gap after which each order was expected; float64, shape (orders,), NaN for first orders and where nobody had
    made the step. Of the second order of one date it is not that of the day before, which no gap of 0 days needs."""
    expected = np.full(book.order_count, np.nan)
    ranks = rank(book)
    for step in range(1, OWN_MEDIAN_FROM_ORDERS):
        places = np.flatnonzero(ranks == step + 1)
        everybody = book.everybody
        first, medians = (
            _step_medians(everybody, step) if everybody.steps is None else _medians(*everybody.steps.steps[step - 1])
        )
        if places.size and medians.size:
            # the day before the order, and nothing before the first day on which somebody made the step
            day = np.minimum(book.day.take(places).astype(np.int64) - 1 - first, medians.size - 1)
            expected[places] = np.where(day >= 0, medians.take(np.maximum(day, 0)), np.nan)
    later, medians = _own_medians(book)
    expected[later] = medians
    return expected


@kept
def _step_medians(book: OrderBook, step: int) -> tuple[int, Floats]:
    """The median gap from the order of rank ``step`` to the next, as known at the end of every day from the first on
    that somebody made the step; float64, shape (days,)."""
    day, gap = gaps_at_step(book, step)
    return _medians(day, gap, np.ones(day.size, np.int64))


def _medians(day: Int64s, gap: Int64s, count: Int64s) -> tuple[int, Floats]:
    """The same of gaps of which each comes so many times."""
    if day.size == 0:
        return 0, np.zeros(0)
    lengths, length = np.unique(gap, return_inverse=True)
    in_sequence = np.argsort(day, kind="stable")
    days, begins = np.unique(day.take(in_sequence), return_index=True)
    known = np.zeros(lengths.size, np.int64)
    medians = np.empty(days.size)
    for place, places in enumerate(np.split(in_sequence, begins[1:])):
        np.add.at(known, length.take(places), count.take(places))
        medians[place] = median_of(lengths, known)
    first = int(days[0])
    return first, np.repeat(medians, np.diff(days, append=days[-1] + 1))


def _own_medians(book: OrderBook) -> tuple[Int64s, Floats]:
    """Orders of those who had placed four and more before, by position, and the median of the gaps before each."""
    several = np.flatnonzero(book.counts > OWN_MEDIAN_FROM_ORDERS)
    if several.size == 0:
        return np.zeros(0, np.int64), np.zeros(0)
    gaps = gap_days(book)
    bits = max(int(gaps.max()), 1).bit_length()
    places = np.flatnonzero(gaps != NO_GAP)
    order = places.take(np.argsort(book.customer.take(places).astype(np.int64) << bits | gaps.take(places)))
    ordered, place = gaps.take(order), np.empty(book.order_count, np.int64)
    place[order] = np.arange(order.size)
    before, after = np.arange(order.size) - 1, np.arange(order.size) + 1
    remaining, last = book.counts.take(several) - 1, book.starts.take(several + 1) - 1
    # the lower of the two middle gaps; the gaps of each customer begin after those of everybody before
    middle = book.starts.take(several) - np.searchsorted(book.ordering, several) + (remaining - 1) // 2
    found: list[tuple[Int64s, Floats]] = []
    for _ in range(int(remaining.max()) - OWN_MEDIAN_FROM_ORDERS + 1):
        active = np.flatnonzero(remaining >= OWN_MEDIAN_FROM_ORDERS)
        at, gone, even = middle.take(active), place.take(last.take(active)), remaining.take(active) % 2 == 0
        at = np.where(
            even & (gone <= at), after.take(at), np.where(~even & (gone >= at), before.take(at, mode="clip"), at)
        )
        left, right = before.take(gone), after.take(gone)
        after[left[left >= 0]] = right[left >= 0]
        before[right[right < order.size]] = left[right < order.size]
        higher = np.where(even, at, after.take(at)).clip(max=order.size - 1)
        found.append((last.take(active), (ordered.take(at) + ordered.take(higher)) / 2))
        middle[active] = at
        remaining[active] -= 1
        last[active] -= 1
    return np.concatenate([each for each, _ in found]), np.concatenate([each for _, each in found])
