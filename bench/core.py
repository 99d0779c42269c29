"""Times of the core on a synthetic book, each beside one pass over the bytes that the task must read."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from inspect import unwrap
from pathlib import Path

import numpy as np
from tests.support import synthetic

from bench.timing import Row, timed
from goldthread.core.book.derived import Derived
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Period
from goldthread.core.cohorts.table import CohortTable, cohort_table, counted
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.records import OrderStatus
from goldthread.core.threads.gaps import gap_days, latest_orders, rank
from goldthread.core.threads.listing import in_sequence
from goldthread.store.revisions import Stamped
from goldthread.store.snapshot import open_snapshot, save_snapshot

BESIDE = "one pass over the bytes read"
RUNS = 5
MOVED_DAYS = 30


def core_times(orders: int) -> list[Row]:
    """Build a book of so many orders, and ask it everything."""
    columns, customers = synthetic.orders(orders)
    ids = np.arange(customers, dtype=np.int64)
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    everything = HistoryRule(as_of, frozenset(OrderStatus))
    build = timed(lambda: OrderBook.build(columns, ids), 3)
    book = OrderBook.build(columns, ids)
    wide = timed(lambda: (columns.customer.sum(), columns.day.sum(), columns.amount_minor.sum()), RUNS)
    history = read_history(book, everything)
    tied = synthetic.with_ties(columns)
    rows = [
        Row(f"build {orders:,} orders", build, wide, BESIDE),
        Row(
            "build, a quarter of them tied",
            timed(lambda: OrderBook.build(tied, ids), 3),
            build,
            "the one with few ties",
        ),
    ]
    narrow = timed(lambda: (book.amount_minor.sum(), book.period(Period.MONTH)[1].sum()), RUNS)
    for ages in AgeKind:
        for period in CALENDAR_PERIODS:
            asked = count_again(cohort_table(history, period, ages))
            rows.append(Row(f"cohort table, {ages} {period}s", asked, narrow, BESIDE))
    with_status = narrow + timed(lambda: book.attributes["status"].codes.sum(), RUNS)
    narrowed = HistoryRule(as_of, frozenset({OrderStatus.PAID}), frozenset(synthetic.SOURCES[:2]))
    for name, rule in (("a changed history rule", HistoryRule(as_of)), ("a rule of one status, two sources", narrowed)):
        changed = timed(lambda r=rule: cohort_table(read_history(book, r), Period.MONTH), RUNS)  # type: ignore[misc]
        rows.append(Row(f"cohort table after {name}", changed, with_status, BESIDE))
    again = count_again(cohort_table(history, Period.MONTH))
    earlier_days = iter(range(as_of - MOVED_DAYS, 0, -1))
    moved = timed(lambda: cohort_table(_as_of(book, next(earlier_days)), Period.MONTH), RUNS)
    rows.append(Row("cohort table as of a month earlier", moved, again, "counted again as of the last day"))
    earlier = HistoryRule(as_of - 400, frozenset(OrderStatus))
    rows.append(
        Row("silence as of an earlier date, sorted", timed(lambda: _silence(book, earlier), RUNS), narrow, BESIDE)
    )
    table = cohort_table(history, Period.MONTH)
    rows.append(Row("what stands behind one cell", timed(lambda: table.behind(5, 3), RUNS), narrow, BESIDE))
    days = timed(lambda: book.day.sum(), RUNS)
    rows.append(Row("rank and gap of every order", timed(lambda: _threads(book), RUNS), days, BESIDE))
    latest = timed(lambda: book.amount_minor.take(latest_orders(book)), RUNS)
    rows.append(Row("latest order of every customer", latest, days, BESIDE))
    return [*rows, *_snapshot(book, wide)]


def count_again(table: CohortTable) -> float:
    """Median seconds of counting a table anew, of columns that are kept with its book."""
    way, shape = (table.period, table.age_kind, table.first_cohort), table.customers.shape
    return timed(lambda: unwrap(counted)(table.history.book, *way, shape), RUNS)


def _as_of(book: OrderBook, as_of_day: int) -> History:
    return read_history(book, HistoryRule(as_of_day, frozenset(OrderStatus)), counted=book)


def _silence(book: OrderBook, rule: HistoryRule) -> None:
    history = read_history(book, rule)
    in_sequence(history.fields.values("days_since"), history.customers, descending=True)


def _threads(book: OrderBook) -> None:
    fresh = replace(book, _derived=Derived())
    rank(fresh)
    gap_days(fresh)


def _snapshot(book: OrderBook, wide: float) -> list[Row]:
    at = Stamped(1, "a")
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder:
        saved = timed(lambda: save_snapshot(Path(folder), 1, at, book), 1)
        opened = timed(lambda: open_snapshot(Path(folder), 1, at), RUNS)
    return [Row("save a snapshot", saved, wide, BESIDE), Row("reopen a snapshot", opened, wide, BESIDE)]
