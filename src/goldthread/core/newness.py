"""New and returning (``docs/definitions.md``, section 6): how much of each period is new, how much comes back.

An order is new when its rank is 1. A customer of a period is new when the first order falls in it. Won back is the part
of returning whose gap reaches the lapse rule in force. Method: every order gets its period's code; what is new is
counted at the first orders, distinct customers at the orders that begin a run of one customer in one period, the rest
is the difference.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import Attribute, OrderBook
from goldthread.core.cohorts import Behind, CellState
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
from goldthread.errors import InvalidInput

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


class Measure(StrEnum):
    """What of a period is told apart."""

    ORDERS = "orders"
    CUSTOMERS = "customers"
    REVENUE = "revenue"


class Side(StrEnum):
    """One part of a period. ``WON_BACK`` is a part of ``RETURNING``; ``ALL`` is everything."""

    NEW = "new"
    RETURNING = "returning"
    WON_BACK = "won_back"
    ALL = "all"


@dataclass(frozen=True)
class Tally:
    """One stretch of days, both ends inside, told apart; revenue in ten-thousandths of the currency unit.

    Each tuple holds new, returning, and of the returning those won back.
    """

    first_day: int
    last_day: int
    orders: tuple[int, int, int]
    customers: tuple[int, int, int]
    revenue_minor: tuple[int, int, int]


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

    def parts(self, measure: Measure) -> Parts:
        match measure:
            case Measure.ORDERS:
                return self.orders
            case Measure.CUSTOMERS:
                return self.customers
            case Measure.REVENUE:
                return self.revenue_minor

    def days_of(self, place: int) -> tuple[int, int]:
        """First and last day of a period, cut off at the as-of date. Raises `InvalidInput` for a period not here."""
        if not 0 <= place < self.state.size:
            raise InvalidInput("That period is not in the table.", remedy="Name a period of the table.", field="at")
        return self._begin(place), min(self._begin(place + 1) - 1, self.history.rule.as_of_day)

    def _begin(self, place: int) -> int:
        index = self.first + place
        return index if self.span is Span.DAY else int(period_start(index, Period(self.span.value)))


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
    fresh, back = _is_first(book).take(positions), won_back(book, history.rule.lapse).take(positions)
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


def tally(history: History, first_day: int, last_day: int) -> Tally:
    """A stretch of days as one period: a customer whose first order falls in it is new there, else returning."""
    book = history.book
    positions = _within(history, first_day, last_day)
    fresh, back = _is_first(book).take(positions), won_back(book, history.rule.lapse).take(positions)
    who, amounts = book.customer.take(positions), book.amount_minor.take(positions)
    began_here = book.day.take(book.starts.take(who)) >= first_day
    new = int(np.count_nonzero(fresh))
    revenue, revenue_new, revenue_back = (int(some.sum()) for some in (amounts, amounts[fresh], amounts[back]))
    return Tally(
        first_day,
        last_day,
        (new, positions.size - new, int(np.count_nonzero(back))),
        (_distinct(who[began_here]), _distinct(who[~began_here]), _distinct(who[back & ~began_here])),
        (revenue_new, revenue - revenue_new, revenue_back),
    )


def stretch_behind(history: History, first_day: int, last_day: int, measure: Measure, side: Side) -> Behind:
    """The customers and orders that one figure of a stretch of days counts.

    Of orders and revenue, a side's orders are those classed so; of customers, all orders in the stretch of the
    customers classed so.
    """
    book = history.book
    positions = _within(history, first_day, last_day)
    who = book.customer.take(positions)
    if side is not Side.ALL:
        back = won_back(book, history.rule.lapse).take(positions)
        fresh = (
            book.day.take(book.starts.take(who)) >= first_day
            if measure is Measure.CUSTOMERS
            else _is_first(book).take(positions)
        )
        if measure is Measure.CUSTOMERS and side is Side.WON_BACK:
            won = np.zeros(book.customer_count, np.bool_)
            won[who[back & ~fresh]] = True
            back = won.take(who)
        inside = fresh if side is Side.NEW else ~fresh if side is Side.RETURNING else back
        positions, who = positions[inside], who[inside]
    first_of_each = np.ones(who.size, np.bool_)
    first_of_each[1:] = who[1:] != who[:-1]
    return Behind(who[first_of_each], positions)


def split_newness(history: History, span: Span, attribute: Attribute, most: int) -> list[tuple[str, NewnessTable]]:
    """The table for each label of an attribute of orders, the most frequent first; those beyond ``most`` together last.

    First orders stay those of the whole history: an order is new by its rank, whatever its label.
    """
    return [(label, newness_table(group, span)) for label, group in label_groups(history, attribute, most)]


def label_groups(history: History, attribute: Attribute, most: int) -> list[tuple[str, History]]:
    """The history showing the orders of one label at a time, the most frequent label first."""
    positions = positions_shown(history)
    counts = np.bincount(attribute.codes.take(positions), minlength=len(attribute.labels))
    having = np.flatnonzero(counts)
    ranked = having[np.argsort(-counts.take(having), kind="stable")]
    alone, merged = (ranked, ranked[:0]) if ranked.size <= most else (ranked[: most - 1], ranked[most - 1 :])
    together = [(attribute.labels[code], np.array([code])) for code in alone.tolist()]
    if merged.size:
        together.append((f"{merged.size} others", merged))
    found = []
    for label, codes in together:
        wanted = np.zeros(len(attribute.labels), np.bool_)
        wanted[codes] = True
        shown = wanted.take(attribute.codes)
        found.append((label, replace(history, shown=shown if history.shown is None else shown & history.shown)))
    return found


def _within(history: History, first_day: int, last_day: int) -> Int64s:
    positions = positions_shown(history)
    day = history.book.day.take(positions)
    return positions[(day >= first_day) & (day <= last_day)]


def _is_first(book: OrderBook) -> Mask:
    is_first = np.zeros(book.order_count, np.bool_)
    is_first[first_orders(book)] = True
    return is_first


def _distinct(who: NDArray[np.int32]) -> int:
    """Distinct customers of ascending places."""
    return int(who.size and 1 + np.count_nonzero(who[1:] != who[:-1]))


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
