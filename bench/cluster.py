"""``make bench-cluster``: a book in parts, asked by one worker, by two and by this process; then a large one.

Questions are new ones each time: nothing of an answer is kept, but the parts are open.
"""

from __future__ import annotations

import argparse
import pickle
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from itertools import count
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import psutil
import pyarrow as pa
from pyarrow import parquet
from tests.support import synthetic

from bench.timing import Row, show, timed
from goldthread.actions.refreshing import ToCheck, check_file
from goldthread.cluster import cluster as cluster_module
from goldthread.cluster.cluster import Cluster
from goldthread.cluster.local import local_cluster
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.part import BookPart
from goldthread.core.choices import Period, Span
from goldthread.core.cohorts.covered import Covered
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.counted import Counted
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.labels import OfField, OfOrders
from goldthread.core.history.of_parts import HistoryOfParts, extent
from goldthread.core.newness.table import newness_table
from goldthread.core.records import OrderStatus, unreported
from goldthread.core.rhythm.gaps import gap_table
from goldthread.core.threads.listing import NthBy, nth_count
from goldthread.core.threads.windows import listed_rows
from goldthread.settings import Settings
from goldthread.store.datasets import DatasetRow, FileRow
from goldthread.store.orders_in_files import opened as opened_file
from goldthread.store.parts import (
    Part,
    Parted,
    PartFolder,
    parts_of_book,
    put_labels,
    put_part,
    put_parted,
)
from goldthread.store.revisions import Stamped

RUNS = 7
AS_OF_DAY = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
AT = Stamped(1, "bench")
Read = Callable[[HistoryRule], History]
_GIB = 1 << 30
_moved = count(1)


def _moved_rule() -> HistoryRule:
    return HistoryRule(AS_OF_DAY - next(_moved) % 700, frozenset(OrderStatus))


def _changed_rule() -> HistoryRule:
    """Without one or two of the statuses, as of another day each time."""
    every, place = list(OrderStatus), next(_moved)
    left_out = {every[place % len(every)], every[(place // len(every)) % len(every)]}
    return HistoryRule(AS_OF_DAY - place % 31, frozenset(every) - left_out)


def _cohorts(history: History) -> object:
    return cohort_table(history, Period.MONTH).came_back


def _opened(history: History) -> object:
    """Who came back after a month, of all cohorts: how many, and sixty from their middle."""
    table = cohort_table(history, Period.MONTH)
    wanted = table.observed & (np.arange(table.age_count) == 1)
    counted = Counted(history, Covered(table.again, wanted))
    return counted.members.window(counted.customers // 2, 60)


def _second_orders(history: History) -> object:
    """Sixty rows from the middle of the list of second orders by amount."""
    by = NthBy(2, "amount", descending=True)
    found = listed_rows(history, by, lambda: by(history).rows, lambda: nth_count(history, 2))
    return found.window(found.count // 2, 60)


QUESTIONS: dict[str, Callable[[Read], object]] = {
    "cohorts, a moved as-of date": lambda read: _cohorts(read(_moved_rule())),
    "cohorts, a changed rule": lambda read: _cohorts(read(_changed_rule())),
    "new and returning": lambda read: newness_table(read(_moved_rule()), Span.MONTH),
    "gaps by a label": lambda read: gap_table(read(_moved_rule()), OfOrders(OfField("source"))),
    "a figure opened": lambda read: _opened(read(_moved_rule())),
    "second orders, half way down the list": lambda read: _second_orders(read(_moved_rule())),
}


def _synthetic_book(orders: int) -> OrderBook:
    columns, customers = synthetic.orders(orders)
    return OrderBook.build(columns, np.arange(customers, dtype=np.int64))


def _seconds(read: Read, runs: int = RUNS) -> dict[str, float]:
    found = {}
    for name, ask in QUESTIONS.items():
        ask(read)
        found[name] = timed(lambda ask=ask: ask(read), runs)  # type: ignore[misc]
    return found


@contextmanager
def _asked(settings: Settings, book: OrderBook, workers: int) -> Iterator[Read]:
    """A book in parts on so many workers; gives how it is read by a rule."""
    with local_cluster(settings, workers):
        cluster = Cluster(settings)
        parts = cluster.in_parts(1, AT, book)
        if parts is None:
            raise FileNotFoundError(settings.parts_folder)

        def read(rule: HistoryRule) -> History:
            asked = cluster.asked(parts, rule, None, None)
            return HistoryOfParts.read_by(rule, book, asked, lambda: read_history(book, rule), among=False)

        extent(read(_moved_rule()))
        yield read
        cluster.close()


def _travelled(read: Read) -> int:
    """How many bytes a cohort table sends to workers and gets back."""
    sent: list[int] = []
    summed = Cluster._summed

    def watched(self: Cluster, client: Any, asked: Any) -> Any:
        found = summed(self, client, asked)
        sent.append(len(pickle.dumps(asked)) + len(pickle.dumps(found)))
        return found

    with patch.object(cluster_module.Cluster, "_summed", watched):
        cohort_table(read(_moved_rule()), Period.MONTH)
    return sum(sent)


def _beside_each_other(orders: int, var: Path) -> list[Row]:
    """Every question by one worker, by two, and by this process."""
    settings = Settings(var=var, compute="processes", part_orders=max(orders // 2, 4))
    book = _synthetic_book(orders)
    settings.scratch.mkdir(parents=True)
    write = timed(lambda: Cluster(settings).write_parts(1, AT, book), 1)
    print(f"{orders:,} orders: parts are written in {write:.1f} s")
    here = _seconds(lambda rule: read_history(book, rule))
    by: list[dict[str, float]] = []
    for workers in (1, 2):
        with _asked(settings, book, workers) as read:
            by.append(_seconds(read))
            print(f"a cohort table sends and gets {_travelled(read):,} bytes")
    one, two = by
    return [
        *(Row(f"{name}, one worker", one[name], two[name], "two workers") for name in QUESTIONS),
        *(Row(f"{name}, here", here[name], two[name], "two workers") for name in QUESTIONS),
    ]


def _overhead(var: Path) -> Row:
    """A question of a book of a few orders: nothing but the way there and back."""
    settings = Settings(var=var, compute="processes", part_orders=400)
    book = _synthetic_book(1_000)
    settings.scratch.mkdir(parents=True)
    Cluster(settings).write_parts(1, AT, book)
    with _asked(settings, book, 2) as read:
        there = timed(lambda: extent(read(_moved_rule())), 40)
    here = timed(lambda: extent(read_history(book, _moved_rule())), 40)
    return Row("a question of 1 000 orders, two workers", there, here, "here")


def _checking(orders: int, files: int, var: Path) -> list[Row]:
    """Files in which orders stay, checked by two workers and by this process."""
    settings = Settings(var=var, compute="processes")
    settings.scratch.mkdir(parents=True)
    columns, _ = synthetic.orders(orders)
    statuses = columns.attributes["status"]
    table = pa.table(
        {
            "order": pa.array(columns.order_id).cast(pa.string()),
            "customer": pa.array(columns.customer).cast(pa.string()),
            "date": pa.array(columns.day, pa.date32()),
            "amount": pa.array(columns.amount_minor / 10_000),
            "status": pa.array(np.array(statuses.labels).take(statuses.codes)),
        }
    )
    meanings = {"order_number": "order", **{name: name for name in ("customer", "date", "amount", "status")}}
    reading = {
        "columns": meanings,
        "customer_key": "number",
        "dates": "iso",
        "decimal": "point",
        "statuses": {status.value: status.value for status in OrderStatus},
    }
    wanted = []
    for place in range(files):
        file = FileRow(f"{place}.parquet", 0, "")
        parquet.write_table(table.slice(place * orders // files, orders // files), var / file.name)
        dataset = DatasetRow(f"parquet:{var}", "bench", reading)
        wanted.append(ToCheck(dataset.address, file, dataset, "EUR", "UTC", None, 1 << 34, var / f"{place}.arrow"))
    here = timed(lambda: [check_file(each) for each in wanted], 1)
    with local_cluster(settings, 2):
        cluster = Cluster(settings)
        there = timed(lambda: list(cluster.each(check_file, wanted, unreported)), 1)
        cluster.close()
    rows = sum(opened.num_rows for opened in (opened_file(each.target) for each in wanted) if opened is not None)
    print(f"{rows:,} orders checked in {files} files")
    return [Row("check files, an order, two workers", there / rows * 1e6, here / rows * 1e6, "here", "us")]


def _put_large(settings: Settings, pieces: int, orders: int) -> tuple[Parted, OrderBook]:
    """A book of so many pieces of so many orders, none of which is ever in memory beside another one; the last of them
    stands in for the whole, of which only names are asked."""
    place = parts_of_book(settings.parts_folder, 1)
    folder, parts, labels = PartFolder(place), list[Part](), ""
    for piece in range(pieces):
        columns, customers = synthetic.orders(orders)
        ids = np.arange(customers, dtype=np.int64) + piece * customers
        book = OrderBook.build(replace(columns, order_id=columns.order_id + piece * orders), ids)
        with tempfile.TemporaryDirectory(dir=settings.scratch) as room:
            labels = put_labels(folder, Path(room), book)
            edges = np.searchsorted(book.starts, np.arange(1, 4) * orders // 4).tolist()
            for first, end in zip([0, *edges], [*edges, customers], strict=True):
                parts.append(put_part(folder, Path(room), BookPart.of(book, first, end)))
    parted = Parted(place, AT.number, AT.stamp, labels, tuple(parts))
    with tempfile.TemporaryDirectory(dir=settings.scratch) as room:
        put_parted(folder, Path(room), parted)
    return parted, book


def _large(pieces: int, orders: int, var: Path) -> list[Row]:
    settings = Settings(var=var, compute="processes", part_orders=orders, cluster_seconds=600)
    settings.scratch.mkdir(parents=True)
    found_parts: list[tuple[Parted, OrderBook]] = []
    put = timed(lambda: found_parts.append(_put_large(settings, pieces, orders)), 1) / pieces
    parted, book = found_parts[0]
    total = sum(each.orders for each in parted.parts)
    print(f"{total:,} orders: {len(parted.parts)} parts, {sum(p.size_bytes for p in parted.parts) / _GIB:.1f} GiB")
    here = _seconds(lambda rule: read_history(book, rule), 3)
    with _asked(settings, book, 2) as read:
        found = _seconds(read, 3)
        counted = cohort_table(read(HistoryRule(AS_OF_DAY, frozenset(OrderStatus))), Period.MONTH).orders.sum()
        print(f"a cohort table counts {counted:,} orders")
        print(f"a cohort table sends and gets {_travelled(read):,} bytes")
        for process in psutil.Process().children(recursive=True):
            held = process.memory_full_info()
            if held.rss > _GIB // 8:
                print(f"  a worker holds {held.uss / _GIB:.1f} GiB of its own, {held.rss / _GIB:.1f} with mapped pages")
    rows = [Row(name, found[name] / total * 1e9, here[name] / orders * 1e9, f"{orders:,} here", "ns") for name in found]
    return [
        *rows,
        Row(
            "build and write parts",
            put / orders * 1e9,
            here["cohorts, a changed rule"] / orders * 1e9,
            "cohorts here",
            "ns",
        ),
    ]


def main() -> None:
    """Measure in one run."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("--small", action="store_true", help="a hundredth of the sizes, to see that it runs")
    parts = 100 if parser.parse_args().small else 1
    with tempfile.TemporaryDirectory() as folder:
        show("The way there and back", [_overhead(Path(folder) / "a")])
        orders = 20_000_000 // parts
        show(f"A book in parts, {orders:,} orders", _beside_each_other(orders, Path(folder) / "b"))
    with tempfile.TemporaryDirectory() as folder:
        show("Orders that stay in files", _checking(1_000_000 // parts, 8, Path(folder) / "d"))
    with tempfile.TemporaryDirectory() as folder:
        orders = 10_000_000 // parts
        show(f"{10 * orders:,} orders on two workers, each order", _large(10, orders, Path(folder) / "c"))


if __name__ == "__main__":
    main()
