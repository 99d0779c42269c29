"""The facts of every thread (``docs/definitions.md``, section 3), for all customers at once.

Arrays have the shape (customers,) of the history's book unless said otherwise. Days are int32 with `NO_DAY` where
there is none, amounts int64 ten-thousandths, durations float64 days with NaN where nothing applies.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.lines import OrderLines
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.payments import NO_DAY, Payments
from goldthread.core.book.steps import StepGaps
from goldthread.core.book.summing import distinct, running
from goldthread.core.threads.gaps import (
    NO_GAP,
    first_days,
    first_orders,
    gap_days,
    latest_orders,
    quantile_of_each,
    sorted_within,
)

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]

OWN_MEDIAN_FROM_ORDERS = 4
"""From so many orders on, the next one is expected by the customer's own median gap, before that by the group's."""


@kept
def first_day(book: OrderBook) -> Int32s:
    """Day of the first order."""
    return _of_everybody(book, first_days(book))


@kept
def latest_day(book: OrderBook) -> Int32s:
    """Day of the latest order."""
    return _of_everybody(book, book.latest_days)


def _of_everybody(book: OrderBook, of_ordering: Int32s) -> Int32s:
    days = np.full(book.customer_count, NO_DAY, np.int32)
    days[book.ordering] = of_ordering
    return days


def first_amount_minor(book: OrderBook) -> Int64s:
    """Amount of the first order; 0 for a customer without one (see `first_day`)."""
    amounts = np.zeros(book.customer_count, np.int64)
    amounts[book.ordering] = book.amount_minor.take(first_orders(book))
    return amounts


@kept
def first_label(book: OrderBook, name: str) -> Attribute:
    """A label of the first order, carried by the customer; the empty label for one without an order."""
    return _label_at(book, book.attributes[name], first_orders(book))


@kept
def first_own_label(book: OrderBook, name: str) -> Attribute:
    """The same of an own attribute."""
    return _label_at(book, book.own_attribute(name), first_orders(book))


@kept
def latest_label(book: OrderBook, name: str) -> Attribute:
    """A label of the latest order, carried by the customer; the empty label for one without an order."""
    return _label_at(book, book.attributes[name], latest_orders(book))


def _label_at(book: OrderBook, attribute: Attribute, positions: Int64s) -> Attribute:
    labels = attribute.labels if "" in attribute.labels else (*attribute.labels, "")
    codes = np.full(book.customer_count, labels.index(""), np.uint32)
    codes[book.ordering] = attribute.codes.take(positions)
    return Attribute(codes, labels)


@kept
def revenue_minor(book: OrderBook) -> Int64s:
    """Sum of the amounts of all orders, exact."""
    if (longer := book.beginning_of) is not None:
        sums, begins = running_amounts(longer), longer.starts[:-1]
        return sums.take(begins + book.counts) - sums.take(begins)
    revenue = np.zeros(book.customer_count, np.int64)
    if book.order_count:
        revenue[book.ordering] = np.add.reduceat(book.amount_minor, first_orders(book))
    return revenue


@kept
def running_amounts(book: OrderBook) -> Int64s:
    """Sums of the amounts before each order of a book and in all; int64, shape (orders + 1,)."""
    return running(book.amount_minor)


def revenue_to_date_minor(book: OrderBook) -> Int64s:
    """Sum of the customer's amounts up to and with each order; int64, shape (orders,)."""
    running = np.cumsum(book.amount_minor)
    before = np.zeros(book.customer_count, np.int64)
    before[book.ordering] = running.take(first_orders(book)) - book.amount_minor.take(first_orders(book))
    return running - np.repeat(before, book.counts)


def average_order_value_minor(book: OrderBook) -> Int64s:
    """revenue / orders, rounded to the ten-thousandth; 0 without an order."""
    counts = np.maximum(book.counts, 1)
    value: Int64s = (2 * revenue_minor(book) + counts) // (2 * counts)
    return value


@kept
def median_gap_days(book: OrderBook) -> Floats:
    """Median of the customer's gaps; NaN below two orders.

    Method: each customer's gaps stand in order, so that the median is one or two look-ups.
    """
    result = np.full(book.customer_count, np.nan)
    several = np.flatnonzero(book.counts > 1)
    if several.size:
        result[several] = quantile_of_each(*sorted_gaps(book), 0.5)
    return result


def median_gap_days_of(book: OrderBook, customers: Int64s) -> Floats:
    """The same of a few customers, worked out for these alone; float64, one entry each."""
    return np.array([np.median(gaps) if gaps.size else np.nan for gaps in _gaps_of(book, customers)], np.float64)


def _gaps_of(book: OrderBook, customers: Int64s) -> list[Int32s]:
    """The gaps of each of a few customers, in the sequence of the thread."""
    return [np.diff(book.days_of(customer)) for customer in customers.tolist()]


def widest_gap_days_of(book: OrderBook, customers: Int64s) -> Floats:
    """The longest gap of each of a few customers; float64, NaN below two orders."""
    return np.array([gaps.max() if gaps.size else np.nan for gaps in _gaps_of(book, customers)], np.float64)


def widest_gap_days(book: OrderBook) -> Floats:
    """The customer's longest gap; NaN below two orders."""
    result = np.full(book.customer_count, np.nan)
    ordered, start, count = sorted_gaps(book)
    result[book.counts > 1] = ordered.take(start + count - 1) if count.size else 0.0
    return result


@kept
def sorted_gaps(book: OrderBook) -> tuple[Int64s, Int64s, Int64s]:
    """Gaps sorted within each customer of two and more orders; where each such customer's begin; how many there are."""
    gaps = gap_days(book)
    places = np.flatnonzero(gaps != NO_GAP)
    ordered = sorted_within(book.customer.take(places), gaps.take(places))
    count = book.counts[book.counts > 1] - 1
    return ordered, np.cumsum(count) - count, count


def step_median_days(book: OrderBook, orders: int) -> float:
    """Median gap between the order of this rank and the next, over all customers of the history, whoever is looked at;
    NaN when nobody made that step."""
    known = book.everybody.steps
    return _step_median_days(book.everybody, orders) if known is None else known.median_days(orders)


def step_gaps(book: OrderBook) -> StepGaps:
    """The gaps of the steps that an expected gap can go by, of all customers of a book."""
    return StepGaps.of(gaps_at_step(book, step) for step in range(1, OWN_MEDIAN_FROM_ORDERS))


def gaps_at_step(book: OrderBook, step: int) -> tuple[Int64s, Int64s]:
    """Of the customers who made a step, the day on which they did, and the gap; int64."""
    ended = book.starts.take(np.flatnonzero(book.counts > step)) + step
    day = book.day.take(ended).astype(np.int64)
    return day, day - book.day.take(ended - 1)


@kept
def _step_median_days(book: OrderBook, orders: int) -> float:
    _, gap = gaps_at_step(book, orders)
    return float(np.median(gap)) if gap.size else float("nan")


@kept
def expected_gap_days(book: OrderBook) -> Floats:
    """The gap after which the next order is expected: own median from four orders on, else the median of all
    customers' gaps at that step; NaN without an order, and where nobody made the step."""
    expected = np.where(book.counts >= OWN_MEDIAN_FROM_ORDERS, median_gap_days(book), np.nan)
    for orders in range(1, OWN_MEDIAN_FROM_ORDERS):
        expected[book.counts == orders] = step_median_days(book, orders)
    return expected


def expected_gap_days_of(book: OrderBook, customers: Int64s) -> Floats:
    """The same of a few customers, worked out for these alone; float64, one entry each."""
    expected, counts = median_gap_days_of(book, customers), book.counts.take(customers)
    for orders in range(1, OWN_MEDIAN_FROM_ORDERS):
        if (counts == orders).any():
            expected[counts == orders] = step_median_days(book, orders)
    return expected


@kept
def next_due_day(book: OrderBook) -> Int32s:
    """Day on which the next order is expected; half days count up. `NO_DAY` where none is expected."""
    return _due(latest_day(book), expected_gap_days(book))


def next_due_day_of(book: OrderBook, customers: Int64s) -> Int32s:
    """The same of a few customers, one entry each."""
    return _due(latest_day(book).take(customers), expected_gap_days_of(book, customers))


def _due(latest: Int32s, expected: Floats) -> Int32s:
    due = np.full(latest.size, NO_DAY, np.int32)
    known = np.flatnonzero(~np.isnan(expected))
    due[known] = latest.take(known) + np.floor(expected.take(known) + 0.5).astype(np.int32)
    return due


def open_gap_days(book: OrderBook, as_of_day: int) -> Floats:
    """Days since the latest order; NaN without one."""
    latest = latest_day(book)
    return np.where(latest == NO_DAY, np.nan, as_of_day - latest.astype(np.int64))


@kept
def overdue_ratio(book: OrderBook, as_of_day: int) -> Floats:
    """Open gap / expected gap; NaN where none is expected or the expected gap is 0 days."""
    return _overdue(open_gap_days(book, as_of_day), expected_gap_days(book))


def overdue_ratio_of(book: OrderBook, as_of_day: int, customers: Int64s) -> Floats:
    """The same of a few customers, one entry each."""
    return _overdue(open_gap_days(book, as_of_day).take(customers), expected_gap_days_of(book, customers))


def _overdue(open_days: Floats, expected: Floats) -> Floats:
    ratio: Floats = open_days / np.where(expected > 0, expected, np.nan)
    return ratio


def last_activity_day(book: OrderBook, payments: Payments) -> Int32s:
    """The later of latest order and latest payment; `NO_DAY` where both are missing."""
    latest: Int32s = np.maximum(latest_day(book), payments.latest_day(book.customer_count))
    return latest


def balance_minor(book: OrderBook, payments: Payments) -> Int64s:
    """Counted order amounts − payments."""
    return revenue_minor(book) - payments.total_minor(book.customer_count)


def dated_by_customer(book: OrderBook, first_day: int, last_day: int) -> tuple[Int64s, Int64s]:
    """Orders of a range of days, both inside, and their revenue, of each customer; int64, shape (customers,),
    revenue in ten-thousandths."""
    inside = np.flatnonzero((book.day >= first_day) & (book.day <= last_day))
    customer = book.customer.take(inside)
    revenue = np.zeros(book.customer_count, np.int64)
    np.add.at(revenue, customer, book.amount_minor.take(inside))
    return np.bincount(customer, minlength=book.customer_count).astype(np.int64), revenue


def lines_of_orders(book: OrderBook, of: str, label: str) -> Int64s:
    """Lines of a product or category of each order; int64, shape (orders,). Raises `KeyError` likewise."""
    lines = book.order_lines()
    return np.bincount(lines.order.take(_lines_of(lines, of, label)), minlength=book.order_count)


def _lines_of(lines: OrderLines, of: str, label: str) -> Int64s:
    labels = lines.labels(of)
    if label not in labels.labels:
        raise KeyError(label)
    return np.flatnonzero(labels.having(label))


def bought_by_customer(book: OrderBook, of: str, label: str) -> tuple[Int64s, Int64s]:
    """Orders with a line of a product or category, and the revenue of such lines, of each customer; int64, shape
    (customers,), revenue in ten-thousandths. Raises `KeyError` where no line on record has the label."""
    lines = book.order_lines()
    wanted = _lines_of(lines, of, label)
    order = lines.order.take(wanted)
    revenue = np.zeros(book.customer_count, np.int64)
    np.add.at(revenue, book.customer.take(order), lines.amount_minor.take(wanted))
    orders = np.bincount(book.customer.take(distinct(order)), minlength=book.customer_count)
    return orders.astype(np.int64), revenue
