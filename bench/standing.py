"""Times of standings and follow-up on a synthetic book, each beside one pass over the bytes that the task must read."""

from __future__ import annotations

import numpy as np
from tests.support import synthetic

from bench.timing import Row, timed
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Period, Who
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.records import OrderStatus
from goldthread.core.standing.follow_up import follow_up
from goldthread.core.standing.limits import lapse_curve
from goldthread.core.standing.over_time import standings_over_time
from goldthread.core.standing.tally import standing_table
from goldthread.core.threads.listing import in_sequence

BESIDE = "one pass over the bytes read"
RUNS = 5


def standing_times(orders: int) -> list[Row]:
    """Everything that Follow-up asks of a book of so many orders; the first time fills what is kept with the book."""
    columns, customers = synthetic.orders(orders)
    book = OrderBook.build(columns, np.arange(customers, dtype=np.int64))
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    history = read_history(book, HistoryRule(as_of, frozenset(OrderStatus)))
    months = read_history(book, HistoryRule(as_of, frozenset(OrderStatus), lapse=LapseRule(months=6)))
    narrow = timed(lambda: (book.amount_minor.sum(), book.day.sum()), RUNS)

    def the_list() -> None:
        found = follow_up(history, (Who.LAPSED, Who.NEVER_ORDERED)).found
        in_sequence(history.fields.values("days_since"), found, descending=True)

    asked = (
        ("standings", lambda: standing_table(history)),
        ("standings over 72 months, in days", lambda: standings_over_time(history, Period.MONTH)),
        ("standings over 72 months, in calendar months", lambda: standings_over_time(months, Period.MONTH)),
        ("who lapsed or never ordered, sorted", the_list),
        ("at every limit, and the suggested one", lambda: lapse_curve(history)),
    )
    rows = []
    for name, ask in asked:
        ask()
        rows.append(Row(name, timed(ask, RUNS), narrow, BESIDE))
    return rows
