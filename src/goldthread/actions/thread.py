"""One customer's thread as it is drawn: who it is, and a knot for every counted order."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import OrderBook
from goldthread.core.periods import to_date

Int64s = NDArray[np.int64]


@dataclass(frozen=True)
class ThreadKnot:
    """One order on a thread; ``inside`` when it stands out: an opened figure counts it, a list lists it."""

    date: dt.date
    amount_minor: int
    inside: bool


@dataclass(frozen=True)
class Thread:
    """One customer with all counted orders."""

    customer_id: int
    name: str
    key: str
    knots: list[ThreadKnot]


def orders_among(book: OrderBook, customer: int, positions: Int64s | None) -> Int64s:
    """Those of some ascending positions that are a customer's orders."""
    if positions is None:
        return np.zeros(0, np.int64)
    first, after = int(book.starts[customer]), int(book.starts[customer + 1])
    low, high = np.searchsorted(positions, (first, after))
    return positions[low:high]


def thread_of(book: OrderBook, customer: int, inside: Int64s | None = None) -> Thread:
    """A customer with all counted orders; ``inside`` are ascending positions that stand out, None for all."""
    first, after = int(book.starts[customer]), int(book.starts[customer + 1])
    marked = None if inside is None else set(orders_among(book, customer, inside).tolist())
    knots = [
        ThreadKnot(to_date(int(book.day[place])), int(book.amount_minor[place]), marked is None or place in marked)
        for place in range(first, after)
    ]
    return Thread(int(book.customer_id[customer]), book.customers.name(customer), book.customers.key(customer), knots)
