"""Bulk rates of the store, each beside the plain tool it stands on, measured in one run.

* a delivery of a CSV of order headers, checked and committed with all indexes, beside LOAD DATA LOCAL of the same rows
  into the same tables with the same indexes and keys, each in a fresh database;
* the columns of a book from MariaDB to the core, beside the bulk reader alone;
* the cohort table of the core, beside the same table by SQL window functions.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import connectorx
from sqlalchemy import text

from bench.timing import Row, timed
from goldthread.actions import books
from goldthread.actions.deliveries import Errand, deliver_file
from goldthread.actions.looking import look_at_table, reading_of
from goldthread.core.book.days import to_day
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.intake.packing import Table
from goldthread.settings import Settings
from goldthread.store.books import BookRow
from goldthread.store.read.orders_out import ORDERS_QUERY, load_book
from goldthread.store.recount.cohorts import recount_cohorts
from goldthread.workspace import Workspace, open_workspace, private_database

SEED = 7
CUSTOMER_SHARE = 0.15
FIRST_DAY = dt.date(2019, 1, 1)
SPAN_DAYS = 2_191


def store_rates(orders: int) -> list[Row]:
    """Measure everything on fresh private databases that are removed afterwards."""
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder:
        file = _write_orders(Path(folder) / "orders.csv", orders)
        with _fresh_workspace() as workspace:
            keys, rows = _plain_files(Path(folder), file)
            plain = timed(lambda: _load(workspace, keys, rows), 1)
        with _fresh_workspace() as workspace:
            return _measure(workspace, file, orders, plain)


@contextmanager
def _fresh_workspace() -> Iterator[Workspace]:
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder:
        settings = Settings(var=Path(folder))
        database = private_database(settings)
        database.start()
        try:
            yield open_workspace(settings)
        finally:
            database.stop()


def _measure(workspace: Workspace, file: Path, orders: int, plain: float) -> list[Row]:
    book = books.add_book(workspace, "bench", "EUR", "UTC")
    view = look_at_table(Table("", file, typed=False))
    errand = Errand("shop", file.name, view.file, reading_of(view))
    delivered = timed(lambda: deliver_file(workspace, book, errand, _quiet), 1)
    url = workspace.record.address.bulk_url
    query = ORDERS_QUERY.format(book=book.id, low=0, high=2**62)
    read_alone = timed(lambda: connectorx.read_sql(url, query, return_type="arrow", protocol="binary"), 3)
    columns = timed(lambda: load_book(workspace.record, book.id), 3)
    return [
        Row(f"delivery of {orders:,} rows", delivered, plain, "LOAD DATA LOCAL alone"),
        Row(f"columns of {orders:,} orders, as a book", columns, read_alone, "the bulk reader alone"),
        *_second_road(workspace, book, orders),
    ]


def _second_road(workspace: Workspace, book: BookRow, orders: int) -> list[Row]:
    whole = workspace.orders(book.id).orders
    history = read_history(whole, HistoryRule(to_day(FIRST_DAY) + SPAN_DAYS))
    table = cohort_table(history, Period.MONTH)
    asked = timed(lambda: cohort_table(history, Period.MONTH), 5)
    recounted = timed(lambda: recount_cohorts(workspace.record.engine, book.id, table), 1)
    return [Row(f"cohort table of {orders:,} orders", asked, recounted, "SQL window functions in MariaDB")]


def _write_orders(path: Path, orders: int) -> Path:
    draw = random.Random(SEED)  # noqa: S311 - seeded on purpose
    customers = int(orders * CUSTOMER_SHARE)
    numbers = list(range(orders))
    draw.shuffle(numbers)
    with path.open("w", encoding="utf-8", newline="") as out:
        write = csv.writer(out)
        write.writerow(("order", "customer_no", "date", "amount", "status"))
        for number in numbers:
            day = FIRST_DAY + dt.timedelta(draw.randrange(SPAN_DAYS))
            amount = f"{draw.lognormvariate(3.8, 0.9):.2f}"
            status = "cancelled" if draw.random() < 0.06 else "paid"
            write.writerow((f"A-{number}", f"C{draw.randrange(customers)}", day, amount, status))
    return path


def _plain_files(folder: Path, file: Path) -> tuple[Path, Path]:
    """The same rows as LOAD DATA takes them, ids given: customers and their keys, then orders."""
    keys, rows = folder / "keys.csv", folder / "rows.csv"
    ids: dict[str, int] = {}
    with file.open(encoding="utf-8", newline="") as source, rows.open("w", encoding="utf-8", newline="") as out:
        write = csv.writer(out)
        for place, (number, customer, date, amount, status) in enumerate(list(csv.reader(source))[1:], 1):
            key = ids.setdefault(customer, len(ids) + 1)
            write.writerow((1, place, 1, 1, number, key, date, amount, status, 0, 1))
    with keys.open("w", encoding="utf-8", newline="") as out:
        csv.writer(out).writerows((key, 1, "number", value, key) for value, key in ids.items())
    return keys, rows


def _load(workspace: Workspace, keys: Path, rows: Path) -> None:
    book = books.add_book(workspace, "plain", "EUR", "UTC")
    options = "FIELDS TERMINATED BY ',' OPTIONALLY ENCLOSED BY '\"' LINES TERMINATED BY '\\r\\n'"
    loads = (
        (keys, f"customer_keys {options} (id, book_id, kind, value, customer_id)"),
        (
            keys,
            f"customers {options} (id, book_id, @kind, name, @owner) SET attributes = '{{}}', town = '', closed = 0, "
            "do_not_contact = 0",
        ),
        (
            rows,
            f"orders {options} (book_id, id, source_id, delivery_id, order_number, customer_key_id, ordered_on, "
            "amount, status, from_lines, current) SET rep = '', channel = ''",
        ),
    )
    with workspace.record.engine.begin() as connection:
        connection.execute(text("INSERT INTO sources (id, book_id, name) VALUES (1, :book, 'shop')"), {"book": book.id})
        for file, into in loads:
            connection.execute(text(f"LOAD DATA LOCAL INFILE :path INTO TABLE {into}"), {"path": str(file)})


def _quiet(_phase: str, _done: int, _total: int) -> None:
    """Nobody watches a benchmark's progress."""
