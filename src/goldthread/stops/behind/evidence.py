"""What stands behind one figure, in the form that every stop gives it."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from enum import StrEnum

from goldthread.core.book.days import to_date
from goldthread.core.counted import Counted
from goldthread.stops.behind.thread import Thread, thread_of
from goldthread.stops.reading import Read


class Unit(StrEnum):
    """What a figure is counted in. Shares are fractions, money ten-thousandths of the currency unit; a number is a
    ratio."""

    SHARE = "share"
    COUNT = "count"
    MONEY = "money"
    NUMBER = "number"


@dataclass(frozen=True)
class Figure:
    """One figure in words: ``value`` is None where undefined; ``low`` and ``high`` bound a share, else None.

    ``beside`` stands next to the value, ``note`` says how sure it is, ``unusual`` what its orders concentration in;
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


def opened(figure: Figure, counted: Counted, days: tuple[int, int], offset: int, limit: int) -> Opened:
    """``offset`` and ``limit`` choose which customers are listed, in the order of the book."""
    shown = counted.window(offset, limit)
    return Opened(
        figure,
        counted.customers,
        counted.orders,
        counted.revenue_minor,
        to_date(days[0]),
        to_date(days[1]),
        [thread_of(shown.history.book, customer, shown.behind.orders) for customer in shown.customers.tolist()],
    )


def opened_of(read: Read, figure: Figure, counted: Counted, offset: int, limit: int) -> Opened:
    """The same on the axis from the first order of the book as it is read to the as-of date."""
    return opened(figure, counted, (read.history.first_day, read.as_of_day), offset, limit)
