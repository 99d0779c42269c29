"""Who slowed down (``docs/definitions.md``, section 7)."""

from __future__ import annotations

import numpy as np

from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.history.facts import latest_day
from goldthread.core.threads.gaps import quantile_of_each, sorted_within

SLOWED_FROM_ORDERS = 5
_LABELS = ("", "no", "yes")


@kept
def slowed_down(book: OrderBook, as_of_day: int) -> Attribute:
    """Whose last two gaps are both longer than the upper quartile of the earlier ones; yes or no of each customer.

    The open gap stands in for the latest closed one where it is longer. Blank for fewer than five orders, which leave
    less than two earlier gaps. The quartile is that of `goldthread.core.rhythm.gaps`.
    """
    codes = np.zeros(book.customer_count, np.uint16)
    who = np.flatnonzero(book.counts >= SLOWED_FROM_ORDERS)
    if who.size == 0:
        return Attribute(codes, _LABELS)
    last = book.starts.take(who + 1) - 1
    open_gap = as_of_day - latest_day(book).take(who)
    latest = np.maximum(book.day.take(last) - book.day.take(last - 1), open_gap)
    before = book.day.take(last - 1) - book.day.take(last - 2)
    earlier = book.counts.take(who) - 3
    ends = np.cumsum(earlier)
    starts = ends - earlier
    # the gaps of each customer from the first on, without the last two
    places = np.arange(int(ends[-1])) + np.repeat(book.starts.take(who) + 1 - starts, earlier)
    gaps = book.day.take(places) - book.day.take(places - 1)
    ordered = sorted_within(np.repeat(np.arange(who.size), earlier), gaps)
    quartile = quantile_of_each(ordered, starts, earlier, 0.75)
    slowed = (before > quartile) & (latest > quartile)
    codes[who] = np.where(slowed, _LABELS.index("yes"), _LABELS.index("no"))
    return Attribute(codes, _LABELS)
