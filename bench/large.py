"""``make bench-large``: the core alone at a hundred million orders, each order beside one of ten million."""

from __future__ import annotations

import argparse

import numpy as np
import psutil
from tests.support import synthetic

from bench.core import count_again
from bench.timing import Row, show, timed
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.records import OrderStatus

_GIB = 1 << 30


def _times(orders: int) -> dict[str, float]:
    """Nanoseconds an order of each task; prints what the process holds with the book and the columns it was made of."""
    columns, customers = synthetic.orders(orders)
    ids = np.arange(customers, dtype=np.int64)
    built: list[OrderBook] = []
    build = timed(lambda: built.append(OrderBook.build(columns, ids)), 1)
    book = built[0]
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    history = read_history(book, HistoryRule(as_of, frozenset(OrderStatus)))
    first = timed(lambda: cohort_table(history, Period.MONTH), 1)
    kept = count_again(cohort_table(history, Period.MONTH))
    held = psutil.Process().memory_info()
    print(f"{orders:,} orders: {held.rss / _GIB:.1f} GiB are held with the columns that the book was made of")
    tasks = {"build": build, "cohort table, asked first": first, "cohort table, asked again": kept}
    return {name: seconds / orders * 1e9 for name, seconds in tasks.items()}


def main() -> None:
    """Measure both sizes in one run."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("--small", action="store_true", help="a hundredth of the sizes, to see that it runs")
    parts = 100 if parser.parse_args().small else 1
    few, many = 10_000_000 // parts, 100_000_000 // parts
    beside = _times(few)
    rows = [Row(name, each, beside[name], f"one of {few:,}", "ns") for name, each in _times(many).items()]
    show(f"The core, {many:,} orders, each of them", rows)


main()
