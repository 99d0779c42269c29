"""What stands behind one figure, in the form that every stop gives it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.thread import Thread, thread_of
from goldthread.actions.workspace import Workspace
from goldthread.core.book import OrderBook
from goldthread.core.cohorts import Behind
from goldthread.core.periods import to_date
from goldthread.store import details
from goldthread.store.details import OrderDetail


class Unit(StrEnum):
    """What a figure is counted in. Shares are fractions, money ten-thousandths of the currency unit."""

    SHARE = "share"
    COUNT = "count"
    MONEY = "money"


@dataclass(frozen=True)
class Figure:
    """One figure in words: ``value`` is None where undefined; ``low`` and ``high`` bound a share, else None.

    ``beside`` stands next to the value, ``note`` says how sure it is, ``unusual`` what its orders crowd in;
    ``averaged`` when it is an average over cohorts.
    """

    unit: Unit
    value: float | None
    beside: str
    words: str
    note: str = ""
    low: float | None = None
    high: float | None = None
    unusual: tuple[str, ...] = ()
    averaged: bool = False


@dataclass(frozen=True)
class Opened:
    """A figure with the customers and orders that it counts; ``threads`` are those of some of the customers.

    ``first_date`` and ``last_date`` span the time axis that all threads share.
    """

    figure: Figure
    customers: int
    orders: int
    revenue_minor: int
    first_date: dt.date
    last_date: dt.date
    threads: list[Thread]


def opened(figure: Figure, book: OrderBook, behind: Behind, days: tuple[int, int], offset: int, limit: int) -> Opened:
    """``offset`` and ``limit`` choose which customers are listed, in the order of the book."""
    listed = behind.customers[offset : offset + limit]
    return Opened(
        figure,
        int(behind.customers.size),
        int(behind.orders.size),
        int(book.amount_minor.take(behind.orders).sum()),
        to_date(days[0]),
        to_date(days[1]),
        [thread_of(book, customer, behind.orders) for customer in listed.tolist()],
    )


def listed_orders(
    workspace: Workspace, book_id: int, book: OrderBook, positions: NDArray[np.int64]
) -> Iterator[tuple[str, str, OrderDetail]]:
    """Orders with their customer's name and key, by customer, then in the order of the thread."""
    customers, order_ids = book.customer.take(positions).tolist(), book.order_id.take(positions).tolist()
    about = {customer: (book.customers.name(customer), book.customers.key(customer)) for customer in set(customers)}
    found = details.order_details(workspace.record.engine, book_id, order_ids)
    for customer, order in zip(customers, order_ids, strict=True):
        yield (*about[customer], found[order])
