"""Times of the threads on a synthetic book, each beside one pass over the bytes that the task must read."""

from __future__ import annotations

import random
from dataclasses import replace
from fractions import Fraction

import numpy as np
from tests.support import synthetic

from bench.timing import Row, timed
from goldthread.core.book.derived import Derived
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.texts import TextColumn
from goldthread.core.choices import LATEST, Firsts
from goldthread.core.history.conditions import And, Compare, Comparison
from goldthread.core.history.facts import median_gap_days
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.labels import OfField, OfOrders
from goldthread.core.records import OrderStatus
from goldthread.core.search import SearchIndex
from goldthread.core.threads.backdated import backdated_orders
from goldthread.core.threads.groups import grouped
from goldthread.core.threads.listing import in_sequence, nth_orders

BESIDE = "one pass over the bytes read"
FRAME_SECONDS = 1 / 60
RUNS = 5
_SYLLABLES = ("al", "bram", "cor", "der", "ed", "fen", "gre", "hal", "in", "ju", "kes", "lio", "mar", "nel", "os")
_NAMES = [f"{one}{other}" for one in _SYLLABLES for other in _SYLLABLES]
_TYPED = ("a", "al", "alder", "alder f", "alder fenmar", "kesnel", "c0012", "c0012345", "corju 99", "zzz", "mail77@")


def thread_times(orders: int) -> list[Row]:
    """Everything that the Threads stop asks of a book of so many orders, worked out afresh each time."""
    columns, customers = synthetic.orders(orders)
    book = OrderBook.build(columns, np.arange(customers, dtype=np.int64))
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    everything = HistoryRule(as_of, frozenset(OrderStatus))
    history = read_history(book, everything)
    days = timed(lambda: book.day.sum(), RUNS)
    amounts = days + timed(lambda: book.amount_minor.sum(), RUNS)
    dear = Comparison("amount", Compare.AT_LEAST, Fraction(1_000_000))
    loyal = And((dear, Comparison("orders", Compare.AT_LEAST, Fraction(4))))
    return [
        Row("customers by days since latest, sorted", timed(lambda: _sorted(_fresh(history)), RUNS), days, BESIDE),
        Row(
            "usual gap of every customer",
            timed(lambda: median_gap_days(_fresh(history).book), RUNS),
            days,
            BESIDE,
        ),
        Row("latest order of every customer", timed(lambda: _latest(_fresh(history)), RUNS), days, BESIDE),
        Row(
            "figures by source",
            timed(lambda: grouped(_fresh(history), OfOrders(OfField("source"))), RUNS),
            amounts,
            BESIDE,
        ),
        Row("backdated orders", timed(lambda: backdated_orders(_fresh(history)), RUNS), amounts, BESIDE),
        *(
            Row(
                f"a condition, firsts from {firsts} orders",
                timed(lambda f=firsts: read_history(book, replace(everything, where=loyal, firsts=f)), RUNS),  # type: ignore[misc]
                amounts,
                BESIDE,
            )
            for firsts in Firsts
        ),
        *_finding(customers),
    ]


def _fresh(history: History) -> History:
    """The same history with nothing worked out yet."""
    return replace(history, book=replace(history.book, _derived=Derived()))


def _sorted(history: History) -> None:
    in_sequence(history.fields.values("days_since"), history.customers, descending=True)


def _latest(history: History) -> None:
    history.book.amount_minor.take(nth_orders(history, LATEST))


def _finding(customers: int) -> list[Row]:
    draw = random.Random(synthetic.SEED)
    lines = [
        f"\t{draw.choice(_NAMES)} {draw.choice(_NAMES)} {draw.randrange(999)}\tc{row:07d}\tmail{row}@post.example\t\n"
        for row in range(customers)
    ]
    column = TextColumn.of(lines)
    built = timed(lambda: SearchIndex.of(column), 1)
    index = SearchIndex.of(column)
    through = timed(lambda: column.data.sum(), RUNS)
    each = [timed(lambda t=typed: index.find(t, 8), RUNS) for typed in _TYPED]  # type: ignore[misc]
    beside = "a frame of 1/60 s"
    return [
        Row(f"index of {customers:,} customers", built, through, BESIDE),
        Row("finding, half of what is typed", float(np.median(each)), FRAME_SECONDS, beside),
        Row("finding, the slowest", max(each), FRAME_SECONDS, beside),
    ]
