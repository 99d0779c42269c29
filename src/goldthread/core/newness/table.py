"""New and returning (``docs/definitions.md``, section 6): how much of each period is new, how much comes back.

An order is new when its rank is 1. A customer of a period is new when the first order falls in it. Won back is the part
of returning whose gap reaches the lapse rule in force.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.periods import CellState, period_end, period_label, period_of_day, period_start
from goldthread.core.book.summing import Codes, blocks_of, count_and_sum, following
from goldthread.core.choices import Measure, Period, Span
from goldthread.core.history.history import History
from goldthread.core.history.lapse import LapseRule
from goldthread.core.limits import limit_periods
from goldthread.core.newness.classes import OrderClass, Parts, Tally, by_class, classes_of, parts_at, parts_of, won_back
from goldthread.core.parts import MadeLater, Together, adds_up
from goldthread.core.threads.gaps import first_orders
from goldthread.errors import InvalidInput

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]


_LONGEST_DAYS = {
    Span.DAY: 1,
    Span.WEEK: 7,
    Span.MONTH: 31,
    Span.QUARTER: 92,
    Span.YEAR: 366,
    Span.FISCAL_QUARTER: 92,
    Span.FISCAL_YEAR: 366,
}


@dataclass(frozen=True, eq=False)
class NewnessCounts:
    """New and returning by period.

    Attributes
    ----------
    first : index of the first period (days since 1970-01-01 for days); the others follow without a gap
    as_of_day : days since 1970-01-01
    customers_in_all : distinct customers over all periods, counted afresh; never the sum of the periods
    """

    span: Span
    as_of_day: int
    first: int
    orders: Parts
    customers: Parts
    revenue_minor: Parts
    customers_in_all: int

    def __add__(self, other: NewnessCounts) -> NewnessCounts:
        """The same question of two parts of a book."""
        on = Together.by_period((self.first, self.period_count), (other.first, other.period_count))
        return NewnessCounts(
            self.span,
            self.as_of_day,
            on.first,
            self.orders.plus(other.orders, on),
            self.customers.plus(other.customers, on),
            self.revenue_minor.plus(other.revenue_minor, on),
            self.customers_in_all + other.customers_in_all,
        )

    @property
    def period_count(self) -> int:
        return int(self.orders.new.size)

    @property
    def state(self) -> NDArray[np.uint8]:
        """`CellState` of each period; the last may be partial; uint8."""
        index = self.first + np.arange(self.period_count)
        ends = index if self.span is Span.DAY else period_end(index, Period(self.span.value))
        return np.where(ends <= self.as_of_day, CellState.COMPLETE, CellState.PARTIAL).astype(np.uint8)

    @property
    def begins(self) -> Int64s:
        """First day of each period; int64."""
        index = self.first + np.arange(self.period_count)
        return index if self.span is Span.DAY else period_start(index, Period(self.span.value))

    @property
    def labels(self) -> list[str]:
        """ISO names of the periods."""
        return [_label(self.first + place, self.span) for place in range(self.period_count)]

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
        if not 0 <= place < self.period_count:
            raise InvalidInput("That period is not in the table.", remedy="Name a period of the table.", field="at")
        return self._begin(place), min(self._begin(place + 1) - 1, self.as_of_day)

    def tally(self, place: int) -> Tally:
        """One period as a stretch of days."""
        first, last = self.days_of(place)
        orders, customers, revenue = (
            parts_at(parts, place) for parts in (self.orders, self.customers, self.revenue_minor)
        )
        return Tally(first, last, orders, customers, revenue)

    def whole(self, first_day: int) -> Tally:
        """Everything at once, from ``first_day``, that of the first order: nobody has one before."""
        orders, revenue = (
            (int(parts.new.sum()), int(parts.returning.sum()), int(parts.won_back.sum()))
            for parts in (self.orders, self.revenue_minor)
        )
        return Tally(first_day, self.as_of_day, orders, (self.customers_in_all, 0, 0), revenue)

    def _begin(self, place: int) -> int:
        index = self.first + place
        return index if self.span is Span.DAY else int(period_start(index, Period(self.span.value)))


@dataclass(frozen=True, eq=False)
class NewnessTable(NewnessCounts, MadeLater):
    """New and returning by period, and the history they were counted in."""

    history: History


@adds_up
def newness_table(history: History, span: Span) -> NewnessTable:
    """Orders, customers and revenue of each period, new against returning. One pass over columns kept with the book.

    Every order has a class (new, won back, returning otherwise), and is counted with its amount by period and class.
    Distinct customers are the orders less those that follow an order of the same customer in the same period. Raises
    `TooLarge` when the span of the book would make more periods than a table may.
    """
    book, shown = history.book, history.shown_orders
    if history.shown_order_count == 0:
        none = np.zeros(0, np.int64)
        parts = Parts(none, none, none)
        return NewnessTable(span, history.rule.as_of_day, 0, parts, parts, parts, 0, history)
    origin, codes = _codes(book, span)
    length, lapse = _last(history, span, origin) + 1, history.rule.lapse
    limit_periods(length)
    classed = _classed(codes, classes_of(book, lapse), length)
    if shown is None:
        orders, revenue = count_and_sum(
            book.amount_blocks, classed, length * len(OrderClass), book.largest_amount_minor
        )
        again = book.derived(("again in", span), lambda: codes.take(following(codes, first_orders(book))))
        new, in_all = codes.take(first_orders(book)), int(book.ordering.size)
        total = by_class(orders).sum(axis=1) - np.bincount(again, minlength=length)
    else:
        amounts = blocks_of(book.amount_minor.take(shown))
        orders, revenue = count_and_sum(
            amounts, classed.take(shown), length * len(OrderClass), book.largest_amount_minor
        )
        who, inside = book.customer.take(shown), codes.take(shown)
        begins = np.append(True, (who[1:] != who[:-1]) | (inside[1:] != inside[:-1]))
        home = inside == codes.take(book.starts.take(who))
        new, in_all = inside[begins & home], _distinct(who)
        total = np.bincount(inside[begins], minlength=length)
    new_customers = np.bincount(new, minlength=length)
    counted, summed = by_class(orders), by_class(revenue)
    low = int(np.flatnonzero(total)[0])
    won_back_customers = counted[:, OrderClass.WON_BACK]
    if not _once_in(span, lapse):
        won_back_customers = _won_back_customers(history, codes, length)
    return NewnessTable(
        span,
        history.rule.as_of_day,
        origin + low,
        orders=parts_of(counted[low:]),
        customers=Parts(new_customers[low:], (total - new_customers)[low:], won_back_customers[low:]),
        revenue_minor=parts_of(summed[low:]),
        customers_in_all=in_all,
        history=history,
    )


def _classed(codes: Codes, classes: NDArray[np.uint8], length: int) -> Codes:
    """Period · classes + class, in as few bytes as hold it."""
    narrow = length * len(OrderClass) <= 1 << 16
    placed: Codes = codes.astype(np.uint16 if narrow else np.int32)
    placed *= len(OrderClass)
    placed += classes
    return placed


def _once_in(span: Span, lapse: LapseRule) -> bool:
    """Whether a period is so short that nobody can lapse and come back within it: every such order is one customer."""
    shortest = lapse.days if lapse.months is None else 28 * lapse.months
    return lapse.is_span and shortest >= _LONGEST_DAYS[span.kind]


def _won_back_customers(history: History, codes: Codes, length: int) -> Int64s:
    """Distinct customers by period with an order that won them back, but for the period of their first order."""
    book = history.book
    back = won_back(book, history.rule.lapse)
    positions = np.flatnonzero(back if history.shown is None else back & history.shown)
    inside, who = codes.take(positions), book.customer.take(positions)
    once = inside != codes.take(book.starts.take(who))
    once[1:] &= (inside[1:] != inside[:-1]) | (who[1:] != who[:-1])
    return np.bincount(inside[once], minlength=length)


def _distinct(who: NDArray[np.int32]) -> int:
    """Distinct customers of ascending places."""
    return int(who.size and 1 + np.count_nonzero(who[1:] != who[:-1]))


def _codes(book: OrderBook, span: Span) -> tuple[int, Codes]:
    """The period of each order, counted from the first of them; kept with the book."""
    if span is not Span.DAY:
        return book.period(Period(span.value))
    low, high = book.day_span
    return low, _day_codes(book, low, high)


@kept
def _day_codes(book: OrderBook, low: int, high: int) -> Codes:
    codes: Codes = (book.day - np.int32(low)).astype(np.uint16 if high - low < 1 << 16 else np.int32)
    return codes


def _last(history: History, span: Span, origin: int) -> int:
    """Place of the period that holds the as-of date, counted from the origin: later periods have not begun."""
    day = history.rule.as_of_day
    if span is Span.DAY:
        return day - origin
    return period_of_day(day, Period(span.value)) - origin


def _label(index: int, span: Span) -> str:
    return to_date(index).isoformat() if span is Span.DAY else period_label(index, Period(span.value))
