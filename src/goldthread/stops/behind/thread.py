"""One customer's thread as it is drawn: who it is, and knots for its counted orders, bounded in number."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.order_book import OrderBook

Int64s = NDArray[np.int64]
Bools = NDArray[np.bool_]

MOST_KNOTS = 240
"""What a thread in a list draws; more would lie on each other."""
MOST_KNOTS_LARGE = 600
"""The same for the large thread of one customer."""


@dataclass(frozen=True)
class ThreadKnot:
    """One order on a thread, or some that stand close: from ``date`` to ``until``, their amounts together.

    ``inside`` when one of them stands out: an opened figure counts it, a list lists it. ``gap_days`` are the days since
    the order before; None for the first order, and for a knot of several.
    """

    date: dt.date
    until: dt.date
    orders: int
    amount_minor: int
    inside: bool
    rank: int
    gap_days: int | None


@dataclass(frozen=True)
class Thread:
    """One customer with all counted orders: how many there are, how many stand out, and their knots."""

    customer_id: int
    name: str
    key: str
    orders: int
    inside: int
    knots: list[ThreadKnot]


def orders_among(book: OrderBook, customer: int, positions: Int64s | None) -> Int64s:
    """Those of some ascending positions that are a customer's orders; int64."""
    if positions is None:
        return np.zeros(0, np.int64)
    first, after = int(book.starts[customer]), int(book.starts[customer + 1])
    low, high = np.searchsorted(positions, (first, after))
    return positions[low:high]


def thread_of(book: OrderBook, customer: int, inside: Int64s | None = None) -> Thread:
    """A customer with all counted orders; ``inside`` are ascending positions that stand out, None for all."""
    first, after = int(book.starts[customer]), int(book.starts[customer + 1])
    marked = np.ones(after - first, bool)
    if inside is not None:
        marked[:] = False
        marked[orders_among(book, customer, inside) - first] = True
    return Thread(
        int(book.customer_id[customer]),
        book.customers.name(customer),
        book.customers.key(customer),
        after - first,
        int(marked.sum()),
        knots_of(book, customer, marked, MOST_KNOTS),
    )


def knots_of(book: OrderBook, customer: int, marked: Bools, most: int) -> list[ThreadKnot]:
    """The knots of a customer's counted orders, at most so many; ``marked``, one each, says which stand out.

    More orders than that are gathered into equal stretches of days, a knot for every stretch with orders; the first and
    the latest order keep their days.
    """
    days = book.days_of(customer).astype(np.int64)
    if days.size == 0:
        return []
    if days.size <= most:
        begins = np.arange(days.size)
    else:
        stretch = (days - days[0]) * most // (days[-1] - days[0] + 1)
        begins = np.flatnonzero(np.diff(stretch, prepend=-1))
    ends = np.append(begins[1:], days.size)
    amounts = np.add.reduceat(book.amounts_of(customer), begins)
    stand_out = np.logical_or.reduceat(marked, begins)
    return [
        ThreadKnot(
            date=to_date(int(days[begin])),
            until=to_date(int(days[end - 1])),
            orders=end - begin,
            amount_minor=amount,
            inside=inside,
            rank=begin + 1,
            gap_days=int(days[begin] - days[begin - 1]) if begin > 0 and end - begin == 1 else None,
        )
        for begin, end, amount, inside in zip(
            begins.tolist(), ends.tolist(), amounts.tolist(), stand_out.tolist(), strict=True
        )
    ]
