"""Times of Rhythm and of the loom on a synthetic book, each beside one pass over the bytes that the task must read."""

from __future__ import annotations

from fractions import Fraction
from itertools import count

import numpy as np
from tests.support import synthetic

from bench.timing import Row, timed
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import OrderUnit
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.history.labels import OfField, OfOrders
from goldthread.core.records import OrderStatus
from goldthread.core.rhythm.counts import order_counts
from goldthread.core.rhythm.due import who_is_due
from goldthread.core.rhythm.gaps import gap_table, gaps_by_customer, gaps_by_step
from goldthread.core.rhythm.waits import Between, waits
from goldthread.core.survival import log_rank
from goldthread.core.threads.loom import warp

BESIDE = "one pass over the bytes read"
RUNS = 5


def rhythm_times(orders: int) -> list[Row]:
    """Everything that Rhythm asks of a book of so many orders. The first time fills what is kept with the book; the
    times are those of every further question, a window at another place each time."""
    columns, customers = synthetic.orders(orders)
    book = OrderBook.build(columns, np.arange(customers, dtype=np.int64))
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    rule = HistoryRule(as_of, frozenset(OrderStatus))
    one_source = columns.attributes["source"].labels[0]
    history, source = read_history(book, rule), OfOrders(OfField("source"))
    of_kinds = (
        Comparison("amount", Compare.MORE, Fraction(100 * 10_000)),
        Comparison("source", Compare.EQUAL, one_source),
    )
    narrow = timed(lambda: (book.amount_minor.sum(), book.day.sum()), RUNS)
    moved = count()

    def a_year() -> None:
        last = as_of - next(moved) * 17 % 1_500
        order_counts(history, last - 364, last, 10)

    asked = (
        ("order counts of a year, anywhere", a_year),
        ("order counts of the whole book", lambda: order_counts(history, synthetic.FIRST_DAY, as_of, 10)),
        ("gaps together", lambda: gap_table(history)),
        ("gaps by step", lambda: gaps_by_step(history)),
        ("gaps by a label of orders", lambda: gap_table(history, source)),
        ("gaps of every customer", lambda: gaps_by_customer(history)),
        ("time to the next order, by a label", lambda: log_rank(waits(history, Between(1), source).times)),
        ("first this, then that", lambda: waits(history, Between(1, *of_kinds))),
        ("who is due", lambda: who_is_due(history, 28)),
        ("purchase days", lambda: read_history(book, HistoryRule(as_of, rule.statuses, unit=OrderUnit.PURCHASE_DAY))),
        ("5 000 threads for the loom", lambda: warp(book, book.ordering)),
    )
    rows = []
    for name, ask in asked:
        ask()
        rows.append(Row(name, timed(ask, RUNS), narrow, BESIDE))
    return rows
