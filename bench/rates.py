"""Bulk rates of the store, each beside the plain tool it stands on, measured in one run.

* how long a delivery keeps others out of its book, and how long a view waits that is saved meanwhile;
* a delivery of a CSV of order headers, checked and committed with all indexes, beside LOAD DATA LOCAL of the same rows
  into the same tables with the same indexes and keys, each in a fresh database;
* the same with six further columns, all kept, beside LOAD DATA LOCAL of the same columns;
* an attribute of all orders, and the memory of ten, beside the bulk reader alone;
* the same orders line by line: delivered, beside LOAD DATA LOCAL; read as a book, and their lines, beside the bulk
  reader alone;
* the columns of a book from MariaDB to the core, beside the bulk reader alone;
* the book brought forward after a further file of a hundredth of its orders, beside reading it anew;
* the cohort table of the core, beside the same table by SQL window functions.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import text

from bench.timing import Row, timed
from goldthread.actions import books
from goldthread.actions.deciding import reading_of
from goldthread.actions.deliveries import Errand, deliver_file
from goldthread.actions.inspecting import look_at_table
from goldthread.core.book.days import to_day
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.installation import private_database
from goldthread.intake.packing import Table
from goldthread.settings import Settings
from goldthread.store.books import BookRow
from goldthread.store.read.lines_out import LINES_QUERY
from goldthread.store.read.orders_out import load_book, orders_query
from goldthread.store.recount.cohorts import recount_cohorts
from goldthread.store.saved_views import add_version
from goldthread.store.server.bulk import read
from goldthread.workspace import Workspace, open_workspace

SEED = 7
CUSTOMER_SHARE = 0.15
WEEK_SHARE = 100
FIRST_DAY = dt.date(2019, 1, 1)
SPAN_DAYS = 2_191
FURTHER = (5, 12, 40, 120, 400, 1_000, 8, 2_000, 3_500, 5_000)
"""Values of the further columns of a flat file, of which the first `KEPT` make the one that is timed."""
KEPT = 6
LINES_PER_ORDER, PRODUCTS, CATEGORIES = 2, 400, 12


def store_rates(orders: int) -> list[Row]:
    """Measure everything on fresh private databases that are removed afterwards."""
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder:
        file = write_orders(Path(folder) / "orders.csv", orders)
        with _fresh_workspace() as workspace:
            keys, rows = _plain_files(Path(folder), file)
            plain = timed(lambda: _load(workspace, keys, rows), 1)
        with _fresh_workspace() as workspace:
            rows_of_orders = _measure(workspace, file, orders, plain)
        flat = write_flat(Path(folder) / "flat.csv", file, FURTHER[:KEPT])
        with _fresh_workspace() as workspace:
            keys, rows = _plain_files(Path(folder), file)
            plain = timed(lambda: _load(workspace, keys, rows, flat), 1)
        with _fresh_workspace() as workspace:
            delivered = _delivered(workspace, flat)
        row = Row(f"delivery of {orders:,} rows, {KEPT} columns kept", delivered, plain, "LOAD DATA LOCAL alone")
        wide = write_flat(Path(folder) / "wide.csv", file, FURTHER)
        with _fresh_workspace() as workspace:
            rows_of_attributes = _attributes(workspace, wide, orders)
        lined = _write_lines(Path(folder) / "lines.csv", file)
        with _fresh_workspace() as workspace:
            keys, rows = _plain_files(Path(folder), file)
            plain_lines = _plain_lines(Path(folder), file, lined)
            plain = timed(lambda: _load(workspace, keys, rows, lines=plain_lines), 1)
        with _fresh_workspace() as workspace:
            return [*rows_of_orders, row, *rows_of_attributes, *_lines(workspace, lined, orders, plain)]


def _delivered(workspace: Workspace, file: Path) -> float:
    """Seconds to deliver a file that was looked at, into a new book."""
    return _delivered_into(workspace, books.add_book(workspace, "bench", "EUR", "UTC"), file)


def _delivered_into(workspace: Workspace, book: BookRow, file: Path) -> float:
    view = look_at_table(Table("", file, typed=False))
    errand = Errand("shop", file.name, view.file, reading_of(view))
    return timed(lambda: deliver_file(workspace, book, errand, _quiet), 1)


def _attributes(workspace: Workspace, file: Path, orders: int) -> list[Row]:
    """Read every attribute once; prints how many bytes an order takes with all of them."""
    _delivered(workspace, file)
    shelved = workspace.orders(1)
    names = list(shelved.orders.own.columns)
    one = timed(lambda: shelved.orders.own_attribute(names[0]), 1)
    query = "SELECT order_id, own_1 FROM own_codes WHERE book_id = 1"
    alone = timed(lambda: read(workspace.record, query), 3)
    book = shelved.orders
    codes = [book.own_attribute(name).codes for name in names] + [each.codes for each in book.attributes.values()]
    own = (book.starts, book.day, book.amount_minor, book.order_id, book.customer_id, book.number_key)
    size = (sum(column.nbytes for column in own) + sum(column.nbytes for column in codes)) / orders
    print(f"\n{len(names)} attributes of {orders:,} orders, all read: {size:.0f} bytes an order")
    return [Row(f"one attribute of {orders:,} orders", one, alone, "the bulk reader alone")]


def _lines(workspace: Workspace, file: Path, orders: int, plain: float) -> list[Row]:
    """Deliver orders line by line, and read them back as a book and as lines. ``plain``: seconds to load them."""
    delivered = _delivered(workspace, file)
    book = books.find_book(workspace, "bench")
    orders_alone = timed(lambda: read(workspace.record, orders_query(book.id)), 3)
    alone = timed(lambda: read(workspace.record, LINES_QUERY.format(book=book.id, each="", some="")), 3)
    both = orders_alone + alone
    columns = timed(lambda: load_book(workspace.record, book.id), 3)
    shelved = workspace.orders(book.id).orders
    first = timed(shelved.order_lines, 1)
    whole = f"{LINES_PER_ORDER} lines each"
    return [
        Row(f"delivery of {orders:,} orders, {whole}", delivered, plain, "LOAD DATA LOCAL alone"),
        Row(f"columns of {orders:,} orders, {whole}, as a book", columns, both + alone, "the bulk reader alone"),
        Row(f"lines of {orders:,} orders, {whole}, first asked for", first, alone, "the bulk reader alone"),
    ]


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


def _watched(workspace: Workspace, work: Callable[[], float]) -> tuple[float, float, float]:
    """Seconds that a delivery into the first book takes; for how long it keeps other changes out; how long a view waits
    at most that is saved meanwhile."""
    used = text("SELECT IS_USED_LOCK(CONCAT(DATABASE(), '.book.1')) IS NOT NULL")
    over, held, waits = threading.Event(), [0.0], [0.0]

    def watch() -> None:
        last = time.perf_counter()
        while not over.wait(0.02):
            with workspace.record.engine.connect() as connection:
                is_used = bool(connection.execute(used).scalar())
            now = time.perf_counter()
            held[0] += (now - last) * is_used
            last = now

    def save() -> None:
        while not over.wait(0.2):
            if books.list_books(workspace):
                waits.append(timed(lambda: add_version(workspace.record.engine, 1, "mine", "cohorts", "", ""), 1))

    beside = [threading.Thread(target=each) for each in (watch, save)]
    for each in beside:
        each.start()
    try:
        seconds = work()
    finally:
        over.set()
        for each in beside:
            each.join()
    return seconds, held[0], max(waits)


def _measure(workspace: Workspace, file: Path, orders: int, plain: float) -> list[Row]:
    delivered, held, waited = _watched(workspace, lambda: _delivered(workspace, file))
    book = books.find_book(workspace, "bench")
    query = orders_query(book.id)
    read_alone = timed(lambda: read(workspace.record, query), 3)
    columns = timed(lambda: load_book(workspace.record, book.id), 3)
    return [
        Row(f"delivery of {orders:,} rows", delivered, plain, "LOAD DATA LOCAL alone"),
        Row("others are kept out of the book meanwhile for", held, delivered, "the delivery"),
        Row("a view that is saved meanwhile waits at most", waited, delivered, "the delivery"),
        Row(f"columns of {orders:,} orders, as a book", columns, read_alone, "the bulk reader alone"),
        *_second_road(workspace, book, orders),
        _week(workspace, book, orders, columns),
    ]


def _week(workspace: Workspace, book: BookRow, orders: int, anew: float) -> Row:
    """The book once more after a further file of a hundredth of its orders came."""
    more = orders // WEEK_SHARE
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder:
        file = write_orders(Path(folder) / "week.csv", more, first=orders, customers=int(orders * CUSTOMER_SHARE))
        _delivered_into(workspace, book, file)
    brought = timed(lambda: workspace.orders(book.id), 1)
    return Row(f"the book after a further file of {more:,} orders", brought, anew, "reading the book anew")


def _second_road(workspace: Workspace, book: BookRow, orders: int) -> list[Row]:
    whole = workspace.orders(book.id).orders
    history = read_history(whole, HistoryRule(to_day(FIRST_DAY) + SPAN_DAYS))
    table = cohort_table(history, Period.MONTH)
    asked = timed(lambda: cohort_table(read_history(whole, history.rule), Period.MONTH), 5)
    recounted = timed(lambda: recount_cohorts(workspace.record.engine, book.id, table), 1)
    return [Row(f"cohort table of {orders:,} orders", asked, recounted, "SQL window functions in MariaDB")]


def write_orders(path: Path, orders: int, first: int = 0, customers: int | None = None) -> Path:
    """A CSV of order headers, in no sequence; their numbers from ``first`` on."""
    draw = random.Random(SEED + first)
    customers = int(orders * CUSTOMER_SHARE) if customers is None else customers
    numbers = list(range(first, first + orders))
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


def write_flat(path: Path, orders: Path, further: tuple[int, ...]) -> Path:
    """The same orders with further columns of so many values each."""
    draw = random.Random(SEED)
    with orders.open(encoding="utf-8", newline="") as source, path.open("w", encoding="utf-8", newline="") as out:
        rows, write = csv.reader(source), csv.writer(out)
        write.writerow((*next(rows), *(f"further {count}" for count in further)))
        for row in rows:
            write.writerow((*row, *(f"value {draw.randrange(count)}" for count in further)))
    return path


def _write_lines(path: Path, orders: Path) -> Path:
    """The same orders, each in several lines of products and categories."""
    draw = random.Random(SEED)
    with orders.open(encoding="utf-8", newline="") as source, path.open("w", encoding="utf-8", newline="") as out:
        rows, write = csv.reader(source), csv.writer(out)
        write.writerow((*next(rows), "product", "category"))
        for row in rows:
            for _ in range(LINES_PER_ORDER):
                product = draw.randrange(PRODUCTS)
                write.writerow((*row, f"product {product}", f"category {product % CATEGORIES}"))
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


def _plain_lines(folder: Path, orders: Path, lined: Path) -> Path:
    """The lines as LOAD DATA takes them, the ids of their orders given."""
    path = folder / "plain-lines.csv"
    with orders.open(encoding="utf-8", newline="") as source:
        ids = {row[0]: place for place, row in enumerate(csv.reader(source))}
    with lined.open(encoding="utf-8", newline="") as source, path.open("w", encoding="utf-8", newline="") as out:
        rows = csv.reader(source)
        next(rows)
        for place, (number, _customer, _date, amount, _status, product, category) in enumerate(rows):
            csv.writer(out).writerow((1, ids[number], place, product, category, amount))
    return path


def _load(workspace: Workspace, keys: Path, rows: Path, flat: Path | None = None, lines: Path | None = None) -> None:
    book = books.add_book(workspace, "plain", "EUR", "UTC")
    options = "FIELDS TERMINATED BY ',' OPTIONALLY ENCLOSED BY '\"' LINES TERMINATED BY '\\r\\n'"
    loads = [
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
    ]
    if flat is not None:
        names = [f"f{place}" for place in range(KEPT)]
        create = f"CREATE TABLE plain (id BIGINT PRIMARY KEY, {', '.join(f'{name} VARCHAR(255)' for name in names)})"
        with workspace.record.engine.begin() as connection:
            connection.execute(text("SET @place = 0"))
            connection.execute(text(create))
        skipped = ", ".join(f"@skip{place}" for place in range(5))
        into = f"plain {options} IGNORE 1 LINES ({skipped}, {', '.join(names)}) SET id = (@place := @place + 1)"
        loads.append((flat, into))
    if lines is not None:
        into = f"order_lines {options} (book_id, order_id, sequence, product, category, amount) SET line_number = ''"
        loads.append((lines, into))
    with workspace.record.engine.begin() as connection:
        connection.execute(text("SET @place = 0"))
        connection.execute(text("INSERT INTO sources (id, book_id, name) VALUES (1, :book, 'shop')"), {"book": book.id})
        for file, into in loads:
            connection.execute(text(f"LOAD DATA LOCAL INFILE :path INTO TABLE {into}"), {"path": str(file)})


def _quiet(_phase: str, _done: int, _total: int) -> None:
    """Nobody watches a benchmark's progress."""
