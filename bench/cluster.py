"""``make bench-cluster``: a book in parts asked by one worker, by two and by this process, in one run; then a large one.

Questions are new ones each time: nothing of a question is kept, but the parts are open.
"""

from __future__ import annotations

import argparse
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path

import numpy as np
from tests.support import synthetic

from bench.timing import Row, show, timed
from goldthread.cluster.cluster import Cluster
from goldthread.cluster.local import local_cluster
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Period, Span
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.labels import OfField, OfOrders
from goldthread.core.history.of_parts import HistoryOfParts, extent
from goldthread.core.newness.table import newness_table
from goldthread.core.records import OrderStatus
from goldthread.core.rhythm.gaps import gap_table
from goldthread.settings import Settings
from goldthread.store.revisions import Stamped

RUNS = 5
_GIB = 1 << 30
AS_OF_DAY = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
AT = Stamped(1, "bench")
Ask = Callable[[Callable[[HistoryRule], History]], object]
_moved = count(1)


def _moved_rule() -> HistoryRule:
    return HistoryRule(AS_OF_DAY - next(_moved) % 700, frozenset(OrderStatus))


def _changed_rule() -> HistoryRule:
    """Another set of statuses each time, of which two are left out at most, as of another day."""
    every = list(OrderStatus)
    place = next(_moved)
    left_out = {every[place % len(every)], every[(place // len(every)) % len(every)]}
    return HistoryRule(AS_OF_DAY - place % 31, frozenset(every) - left_out)


QUESTIONS: dict[str, Ask] = {
    "cohorts, a moved as-of date": lambda read: cohort_table(read(_moved_rule()), Period.MONTH).came_back,
    "cohorts, a changed rule": lambda read: cohort_table(read(_changed_rule()), Period.MONTH).came_back,
    "new and returning": lambda read: newness_table(read(_moved_rule()), Span.MONTH),
    "gaps by a label": lambda read: gap_table(read(_moved_rule()), OfOrders(OfField("source"))),
}


def _synthetic_book(orders: int) -> OrderBook:
    columns, customers = synthetic.orders(orders)
    return OrderBook.build(columns, np.arange(customers, dtype=np.int64))


@contextmanager
def _asked(settings: Settings, book: OrderBook, workers: int) -> Iterator[Callable[[HistoryRule], History]]:
    """A book in parts on so many workers; gives how it is read by a rule."""
    with local_cluster(settings, workers):
        cluster = Cluster(settings)
        parted = cluster.parts_of(1, AT)
        assert parted is not None  # noqa: S101 - written before
        parts = cluster.book_in_parts(1, AT, book, parted, numbers_only=False)

        def read(rule: HistoryRule) -> History:
            return HistoryOfParts.read_by(
                rule, book, cluster.asked(parts, rule, None, None), lambda: read_history(book, rule), among=False
            )

        extent(read(_moved_rule()))
        yield read
        cluster.close()


def _times(orders: int, folder: Path) -> dict[str, dict[str, float]]:
    """Seconds of every question: here, and by one and two workers."""
    settings = Settings(var=folder, compute="processes", part_orders=max(orders // 2, 4))
    book = _synthetic_book(orders)
    settings.scratch.mkdir(parents=True)
    write = timed(lambda: Cluster(settings).write_parts(1, AT, book), 1)
    print(f"{orders:,} orders: parts are written in {write:.1f} s")
    found = {
        "here": {
            name: timed(lambda a=ask: a(lambda rule: read_history(book, rule)), RUNS) for name, ask in QUESTIONS.items()
        }
    }  # type: ignore[misc]
    for workers in (1, 2):
        with _asked(settings, book, workers) as read:
            for ask in QUESTIONS.values():
                ask(read)
            found[f"{workers}"] = {name: timed(lambda a=ask: a(read), RUNS) for name, ask in QUESTIONS.items()}  # type: ignore[misc]
            found[f"{workers}"]["an empty question"] = timed(lambda: extent(read(_moved_rule())), RUNS)
    return found


def main() -> None:
    """Measure in one run."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("--small", action="store_true", help="a hundredth of the sizes, to see that it runs")
    small = 100 if parser.parse_args().small else 1
    with tempfile.TemporaryDirectory() as folder:
        found = _times(20_000_000 // small, Path(folder) / "var")
    rows = [Row(f"{name}, one worker", found["1"][name], each, "two workers") for name, each in found["2"].items()]
    rows += [Row(f"{name}, here", found["here"][name], found["2"][name], "two workers") for name in QUESTIONS]
    show("A book in parts", rows)


if __name__ == "__main__":
    main()
