"""The orders of a book that stay in files, laid out for a recount: scanned from the files themselves by Arrow, not from
what was made of them, into a table of this connection alone that stands in the place of the record's.

Of a row that breaks a rule there is no order, as in a delivery; of a number that comes again the last one counts.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from sqlalchemy import Connection, Engine, select, text

from goldthread.core.records import KeyKind, OrderStatus
from goldthread.errors import Unavailable
from goldthread.store.dataset_files import Files
from goldthread.store.datasets import DatasetRow, files_of_now, find_dataset
from goldthread.store.schema.models import Book, CustomerKey, Source
from goldthread.store.write.loading import load

ORDERS_MOST = 2_000_000
"""Orders that are laid out for one recount; of more it would take too long."""
_MONEY = pa.decimal128(19, 4)
_AMOUNT, _NUMBER_DIGITS = r"^-?\d{1,15}(\.\d{1,4})?$", 4
_TABLE = """
CREATE TEMPORARY TABLE orders (book_id INT NOT NULL, id BIGINT NOT NULL PRIMARY KEY, source_id INT NOT NULL,
  delivery_id INT NOT NULL, order_number VARCHAR(64) COLLATE utf8mb4_bin NOT NULL, customer_key_id BIGINT NOT NULL,
  ordered_on DATE NOT NULL, ordered_at TIME NULL, amount DECIMAL(19, 4) NOT NULL, status ENUM({statuses}) NOT NULL,
  from_lines TINYINT NOT NULL, current TINYINT NOT NULL, KEY (customer_key_id)) ENGINE=Aria TRANSACTIONAL=0
"""


def reason_against(dataset: DatasetRow, orders: int) -> str:
    """Why orders of files cannot be laid out, in words; empty where they can."""
    given = dataset.reading
    if orders > ORDERS_MOST:
        return f"Orders that stay in files are counted again up to {ORDERS_MOST} of them."
    plain = given["dates"] == "iso" and given["decimal"] == "point" and not given.get("choices")
    parts = {"date", "customer", "order_number", "amount"} <= set(given["columns"]) and not given.get("fill_down")
    return "" if plain and parts else "The files are not written so that Arrow alone could read them."


@contextmanager
def connected(engine: Engine, book_id: int) -> Iterator[Connection]:
    """A connection on which a recount finds the orders of a book, those that stay in files too."""
    dataset = find_dataset(engine, book_id)
    with engine.connect() as connection:
        if dataset is None:
            yield connection
            return
        try:
            _lay_out(connection, book_id, dataset)
            yield connection
        finally:
            # it must not stand in the way of whoever has the connection next
            connection.execute(text("DROP TEMPORARY TABLE IF EXISTS orders"))


def _lay_out(connection: Connection, book_id: int, dataset: DatasetRow) -> None:
    files, now = Files.at(dataset.address), files_of_now(connection, book_id)
    if set(now) - set(files.listed()):
        raise Unavailable("The files have changed since the book was refreshed.", remedy="Refresh the book.")
    zone = connection.execute(select(Book.time_zone).where(Book.id == book_id)).scalar_one()
    source = select(Source.id).where(Source.book_id == book_id, Source.name == dataset.source)
    source_id = str(connection.execute(source).scalar_one())
    kind = KeyKind(dataset.reading["customer_key"])
    keys = select(CustomerKey.value, CustomerKey.id).where(
        CustomerKey.book_id == book_id, CustomerKey.kind == kind.value
    )
    known = dict(connection.execute(keys).all())
    connection.execute(text(_TABLE.format(statuses=", ".join(f"'{status}'" for status in OrderStatus))))
    orders: dict[str, tuple[str, ...]] = {}
    scanned = files.dataset(now).scanner(columns=sorted(set(dataset.reading["columns"].values())))
    for batch in scanned.to_batches():
        for number, customer, day, moment, amount, status in _rows(pa.table(batch), dataset.reading, zone, kind):
            key = known.get(customer)
            if number and key is not None and None not in (day, amount, status):
                orders[number] = (number, str(key), str(day), moment, str(amount), status)
    names = ("order_number", "customer_key_id", "ordered_on", "ordered_at", "amount", "status")
    fixed = ("book_id", "source_id", "delivery_id", "from_lines", "current", "id")
    records = (
        (*order, str(book_id), source_id, "0", "0", "1", str(place)) for place, order in enumerate(orders.values(), 1)
    )
    load(connection, "orders", (*names, *fixed), records, len(orders), nullable=("ordered_at",))


def _rows(table: pa.Table, reading: Mapping[str, Any], zone: str, kind: KeyKind) -> Iterator[tuple[Any, ...]]:
    """Number, customer, date, time, amount and status of each row; None for what is not as it must be."""
    columns = {meaning: table.column(name) for meaning, name in reading["columns"].items()}

    def texts(meaning: str) -> list[str]:
        if meaning not in columns:
            return [""] * table.num_rows
        found: list[str] = pc.fill_null(pc.utf8_trim_whitespace(columns[meaning].cast(pa.string())), "").to_pylist()
        return found

    moments = _moments(columns["date"], zone).to_pylist()
    times = texts("time")
    if not any(times):
        times = ["" if not each or not each.time() else each.time().isoformat("seconds") for each in moments]
    meant = {_plain(word): status for word, status in reading["statuses"].items()}
    statuses = [meant.get(_plain(word)) for word in texts("status")] if "status" in columns else None
    customers = texts("customer")
    return zip(
        texts("order_number"),
        [each.casefold() for each in customers] if kind is KeyKind.EMAIL else customers,
        [each and each.date() for each in moments],
        times,
        _amounts(columns["amount"]).to_pylist(),
        statuses or [OrderStatus.PAID.value] * table.num_rows,
        strict=True,
    )


def _plain(word: str) -> str:
    """A status as words are compared."""
    return " ".join(word.split()).casefold()


def _moments(column: pa.ChunkedArray, zone: str) -> pa.ChunkedArray:
    """Dates, or moments in the zone of the book; null for what is none."""
    if pa.types.is_timestamp(column.type) and column.type.tz:
        column = pc.local_timestamp(column.cast(pa.timestamp("us", zone)))
    if not pa.types.is_string(column.type) and not pa.types.is_large_string(column.type):
        return column.cast(pa.timestamp("us"))
    texts = pc.replace_substring(pc.utf8_trim_whitespace(column), "T", " ")
    forms = (pc.strptime(texts, form, "us", error_is_null=True) for form in ("%Y-%m-%d", "%Y-%m-%d %H:%M:%S"))
    return pc.coalesce(*forms)


def _amounts(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Amounts in exact decimals; null for what is none."""
    if pa.types.is_floating(column.type):
        return pc.round(column, _NUMBER_DIGITS).cast(_MONEY, safe=False)
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        plain = pc.utf8_trim_whitespace(column)
        return pc.if_else(pc.match_substring_regex(plain, _AMOUNT), plain, None).cast(_MONEY)
    return column.cast(_MONEY)
