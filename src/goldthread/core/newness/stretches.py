"""New and returning in any stretch of days, and what stands behind its figures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.summing import blocks_of, count_and_sum
from goldthread.core.choices import Measure, Side
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.newness.classes import OrderClass, Tally, by_class, classes_of, parts_at, parts_of
from goldthread.core.parts import adds_up

Int64s = NDArray[np.int64]


@adds_up
def tally(history: History, first_day: int, last_day: int) -> Tally:
    """A stretch of days as one period: a customer whose first order falls in it is new there, else returning."""
    book = history.book
    positions = np.flatnonzero(history.within(first_day, last_day))
    classes = classes_of(book, history.rule.lapse).take(positions)
    orders, revenue = count_and_sum(blocks_of(book.amount_minor.take(positions)), classes, len(OrderClass))
    who = book.customer.take(positions)
    begins = np.flatnonzero(np.append(True, who[1:] != who[:-1])) if who.size else np.zeros(0, np.int64)
    fresh = book.day.take(book.starts.take(who.take(begins))) >= first_day
    new = int(np.count_nonzero(fresh))
    back = 0
    if begins.size:
        came = np.bitwise_or.reduceat(classes & np.uint8(OrderClass.WON_BACK), begins).astype(np.bool_)
        back = int(np.count_nonzero(came & ~fresh))
    return Tally(
        first_day,
        last_day,
        parts_at(parts_of(by_class(orders)), 0),
        (new, begins.size - new, back),
        parts_at(parts_of(by_class(revenue)), 0),
    )


def stretch_behind(history: History, first_day: int, last_day: int, measure: Measure, side: Side) -> Behind:
    """The customers and orders that one figure of a stretch of days counts.

    Of orders and revenue, a side's orders are those classed so; of customers, all orders in the stretch of the
    customers classed so.
    """
    return side_of(history, np.flatnonzero(history.within(first_day, last_day)), first_day, measure, side)


def side_of(history: History, positions: Int64s, first_day: int, measure: Measure, side: Side) -> Behind:
    """The same of the orders of a stretch that are known; ``positions`` : int64, ascending."""
    book = history.book
    if side is not Side.ALL:
        classes = classes_of(book, history.rule.lapse).take(positions)
        fresh, back = classes == OrderClass.NEW, classes == OrderClass.WON_BACK
        if measure is Measure.CUSTOMERS and positions.size:
            who = book.customer.take(positions)
            fresh = book.day.take(book.starts.take(who)) >= first_day
            begins = np.flatnonzero(np.append(True, who[1:] != who[:-1]))
            won = np.logical_or.reduceat(back & ~fresh, begins)
            back = np.repeat(won, np.diff(begins, append=who.size))
        positions = positions[fresh if side is Side.NEW else ~fresh if side is Side.RETURNING else back]
    return Behind.of(book, positions)
