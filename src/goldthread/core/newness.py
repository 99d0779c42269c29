"""New and returning (``docs/definitions.md``, section 6): how much of each period is new, how much comes back.

An order is new when its rank is 1. A customer of a period is new when the first order falls in it. Won back is the part
of returning whose gap reaches the lapse rule in force. Method: every order gets its period's code; what is new is
counted at the first orders, distinct customers at the orders that begin a run of one customer in one period, the rest
is the difference.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import OrderBook
from goldthread.core.cohorts import CellState
from goldthread.core.groups import positions_shown
from goldthread.core.history import History
from goldthread.core.lapse import LapseRule
from goldthread.core.periods import (
    Period,
    months_before,
    period_end,
    period_label,
    period_of_day,
    period_start,
    to_date,
)
from goldthread.core.threads import NO_GAP, first_orders, gap_days

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]


class Span(StrEnum):
    """The length of a period in which new and returning are told apart."""

    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    QUARTER = "quarter"
    YEAR = "year"


@dataclass(frozen=True, eq=False)
class Parts:
    """One measure, told apart; int64, shape (periods,). ``won_back`` is a part of ``returning``."""

    new: Int64s
    returning: Int64s
    won_back: Int64s

    @property
    def total(self) -> Int64s:
        return self.new + self.returning


@dataclass(frozen=True, eq=False)
class NewnessTable:
    """New and returning by period.

    Attributes
    ----------
    first : index of the first period (days since 1970-01-01 for days); the others follow without a gap
    state : `CellState` of each period; the last may be partial
    customers_in_all : distinct customers over all periods, counted afresh; never the sum of the periods
    """

    history: History
    span: Span
    first: int
    state: NDArray[np.uint8]
    orders: Parts
    customers: Parts
    revenue_minor: Parts
    customers_in_all: int

    @property
    def begins(self) -> Int64s:
        """First day of each period; int64."""
        index = self.first + np.arange(self.state.size)
        return index if self.span is Span.DAY else period_start(index, Period(self.span.value))

    @property
    def labels(self) -> list[str]:
        """ISO names of the periods."""
        return [_label(self.first + place, self.span) for place in range(self.state.size)]


def newness_table(history: History, span: Span) -> NewnessTable:
    """Orders, customers and revenue of each period, new against returning. One pass over columns kept with the book."""
    book, positions = history.book, positions_shown(history)
    if positions.size == 0:
        none = np.zeros(0, np.int64)
        parts = Parts(none, none, none)
        return NewnessTable(history, span, 0, none.astype(np.uint8), parts, parts, parts, 0)
    origin, every_code = _codes(book, span)
    codes = every_code.take(positions).astype(np.int64)
    low = int(codes.min())
    length = _last(history, span, origin) - low + 1
    codes -= low
    is_first = np.zeros(book.order_count, np.bool_)
    is_first[first_orders(book)] = True
    fresh, back = is_first.take(positions), won_back(book, history.rule.lapse).take(positions)
    amounts, who = book.amount_minor.take(positions), book.customer.take(positions)
    begins = np.append(True, (codes[1:] != codes[:-1]) | (who[1:] != who[:-1]))
    own_first = every_code.take(book.starts[:-1].take(who)).astype(np.int64) - low
    run_of = np.cumsum(begins) - 1
    back_runs = np.unique(run_of[back & (own_first != codes)])
    runs = np.flatnonzero(begins)
    new_runs = own_first.take(runs) == codes.take(runs)
    return NewnessTable(
        history,
        span,
        origin + low,
        _states(origin + low, length, span, history.rule.as_of_day),
        orders=_parts(codes, fresh, back, length),
        customers=Parts(
            new=np.bincount(codes.take(runs[new_runs]), minlength=length),
            returning=np.bincount(codes.take(runs[~new_runs]), minlength=length),
            won_back=np.bincount(codes.take(runs.take(back_runs)), minlength=length),
        ),
        revenue_minor=_sums(codes, fresh, back, amounts, length),
        customers_in_all=int(np.count_nonzero(np.bincount(who, minlength=1))),
    )


def won_back(book: OrderBook, lapse: LapseRule) -> Mask:
    """Orders whose gap reaches the lapse rule: the customer had lapsed when they came; bool, shape (orders,)."""
    gaps = gap_days(book)
    if lapse.months is None:
        reached: Mask = (gaps != NO_GAP) & (gaps >= lapse.days)
        return reached
    low, high = book.day_span
    limit = np.array([months_before(day, lapse.months) for day in range(low, high + 1)], np.int32)
    mask: Mask = (gaps != NO_GAP) & (book.day - gaps <= limit.take(book.day - np.int32(low)))
    return mask


def _codes(book: OrderBook, span: Span) -> tuple[int, NDArray[np.int32]]:
    if span is Span.DAY:
        low = book.day_span[0]
        return low, book.day - np.int32(low)
    first, codes = book.period(Period(span.value))
    return first, codes.astype(np.int32)


def _last(history: History, span: Span, origin: int) -> int:
    """Place of the period that holds the as-of date, counted from the origin: later periods have not begun."""
    day = history.rule.as_of_day
    if span is Span.DAY:
        return day - origin
    return period_of_day(day, Period(span.value)) - origin


def _states(first: int, length: int, span: Span, as_of_day: int) -> NDArray[np.uint8]:
    index = first + np.arange(length)
    ends = index if span is Span.DAY else period_end(index, Period(span.value))
    return np.where(ends <= as_of_day, CellState.COMPLETE, CellState.PARTIAL).astype(np.uint8)


def _parts(codes: Int64s, fresh: Mask, back: Mask, length: int) -> Parts:
    new = np.bincount(codes[fresh], minlength=length)
    return Parts(new, np.bincount(codes, minlength=length) - new, np.bincount(codes[back], minlength=length))


def _sums(codes: Int64s, fresh: Mask, back: Mask, amounts: Int64s, length: int) -> Parts:
    sums = []
    for mask in (fresh, ~fresh, back):
        total = np.zeros(length, np.int64)
        np.add.at(total, codes[mask], amounts[mask])
        sums.append(total)
    return Parts(*sums)


def _label(index: int, span: Span) -> str:
    return to_date(index).isoformat() if span is Span.DAY else period_label(index, Period(span.value))
