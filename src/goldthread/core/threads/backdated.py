"""Order of entry against order of date (``docs/definitions.md``, 1.5): which orders were backdated.

Within one customer and one source, an order is *backdated* when a later-dated order has a smaller number: it was given
its number after that one, and dated before it. That is a fact of the record up to the as-of date, whatever is counted.
Method: per source, the smallest number of all later days of the same customer is a running minimum from the end;
customers are kept apart by making every number of a customer larger than all numbers of the customers before.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.summing import distinct
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.parts import adds_up
from goldthread.core.threads.listing import positions_shown

Int64s = NDArray[np.int64]
_BITS = 62


def backdated_orders(history: History) -> Int64s:
    """Positions of the shown orders that are backdated, ascending; of purchase days, those whose first order is;
    int64."""
    whole, as_of = history.whole, history.rule.as_of_day
    found = _backdated(whole, as_of)
    positions = positions_shown(history)
    return positions[np.isin(history.book.ids_of(positions), found)]


def backdated_behind(history: History) -> Behind:
    """The same with their customers."""
    return Behind.of(history.book, backdated_orders(history))


@adds_up
def backdated_customers(history: History) -> int:
    """How many customers have such an order."""
    return int(distinct(history.book.customer.take(backdated_orders(history))).size)


@kept
def _backdated(whole: OrderBook, as_of_day: int) -> Int64s:
    """The ids of the backdated ones of all orders up to the as-of date."""
    positions = np.flatnonzero(whole.day <= np.int32(as_of_day))
    source = whole.attributes["source"].codes.take(positions)
    found = [
        _of_one_source(whole, positions.take(np.flatnonzero(source == code)))
        for code in range(len(whole.attributes["source"].labels))
    ]
    return whole.order_id.take(np.concatenate(found)) if found else np.zeros(0, np.int64)


def _of_one_source(book: OrderBook, positions: Int64s) -> Int64s:
    if positions.size == 0:
        return positions
    customer, day = book.customer.take(positions), book.day.take(positions)
    number = _narrow(book.number_key.take(positions), book.customer_count)
    value = customer.astype(np.int64) * (int(number.max()) + 1) + number
    smallest_from = np.minimum.accumulate(value[::-1])[::-1]
    fresh = (customer[1:] != customer[:-1]) | (day[1:] != day[:-1])
    beyond = np.append(smallest_from.take(np.flatnonzero(fresh) + 1), np.iinfo(np.int64).max)
    days_before = np.cumsum(np.append(False, fresh))
    return positions.take(np.flatnonzero(value > beyond.take(days_before)))


def _narrow(number: Int64s, customers: int) -> Int64s:
    """Numbers from 0 that leave room for the customer beside them: less the least one, else their ranks."""
    low = int(number.min())
    if (int(number.max()) - low).bit_length() + customers.bit_length() <= _BITS:
        return number - low
    order = np.argsort(number, kind="stable")
    in_order = number.take(order)
    ranks = np.empty(number.size, np.int64)
    ranks[order] = np.cumsum(np.append(False, in_order[1:] != in_order[:-1]))
    return ranks
