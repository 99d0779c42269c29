"""A whole book as a Frictionless Data Package, and back: a zip of CSVs (RFC 4180) that ``datapackage.json`` describes.

What the deliveries told is taken out, version by version, with their log; customers are worked out from it again when
the book comes back (`goldthread.store.identity`), and every delivery can be withdrawn as before. Taking the same book
out twice, or out of the book it became elsewhere, gives the same bytes.
"""

from __future__ import annotations

import csv
import datetime as dt
import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, text

from goldthread.core.records import guarded
from goldthread.store.books import BookRow
from goldthread.store.orders_in import transaction

DESCRIPTOR = "datapackage.json"
PROFILE = "tabular-data-package"
VERSION = 1
_MADE_AT = (1980, 1, 1, 0, 0, 0)
_ROWS_AT_ONCE = 10_000
_HOUR, _MINUTE, _SECOND = dt.timedelta(hours=1), dt.timedelta(minutes=1), dt.timedelta(seconds=1)


@dataclass(frozen=True)
class Field:
    """A column of a resource: its name, its type in Table Schema, and where it stands in the record."""

    name: str
    type: str
    sql: str


@dataclass(frozen=True)
class Resource:
    """A CSV of the package: what it is read from, its key, and what its columns point to."""

    name: str
    table: str
    query: str
    fields: tuple[Field, ...]
    key: tuple[str, ...]
    order: str
    points_to: tuple[tuple[str, str, str], ...] = ()

    @property
    def path(self) -> str:
        return f"{self.name}.csv"


def _fields(*told: str) -> tuple[Field, ...]:
    """Fields from lines of ``name type expression``."""
    return tuple(Field(*line.split(" ", 2)) for line in told)


_DELIVERY = ("delivery", "deliveries", "delivery")
_KEY = ("customer_key", "customer_keys", "customer_key")
_OF_DELIVERY = "JOIN numbered_deliveries d ON d.id = x.delivery_id"
_OF_KEY = "JOIN numbered_keys k ON k.id = x.{}"
_ENTRY = "WHERE x.book_id = :book"

RESOURCES = (
    Resource(
        "sources",
        "sources",
        f"sources x JOIN numbered_sources s ON s.id = x.id {_ENTRY}",
        _fields("source integer s.n", "name string x.name"),
        ("source",),
        "s.n",
    ),
    Resource(
        "deliveries",
        "deliveries",
        "deliveries x JOIN numbered_deliveries d ON d.id = x.id JOIN numbered_sources s ON s.id = x.source_id "
        + _ENTRY,
        _fields(
            "delivery integer d.n",
            "source integer s.n",
            "kind string x.kind",
            "file_name string x.file_name",
            "fingerprint string x.fingerprint",
            "header array x.header",
            "reading object x.reading",
            "by_hand boolean x.by_hand",
            "delivered_at datetime x.delivered_at",
            "withdrawn_at datetime x.withdrawn_at",
            "book_revision integer x.book_revision",
            "first_order_id integer x.first_order_id",
            "last_order_id integer x.last_order_id",
            "counts object x.counts",
        ),
        ("delivery",),
        "d.n",
        (("source", "sources", "source"),),
    ),
    Resource(
        "customer_keys",
        "customer_keys",
        f"customer_keys x JOIN numbered_keys k ON k.id = x.id {_ENTRY}",
        _fields("customer_key integer k.n", "kind string x.kind", "value string x.value"),
        ("customer_key",),
        "k.n",
    ),
    Resource(
        "customer_records",
        "customer_records",
        f"customer_records x {_OF_DELIVERY} {_OF_KEY.format('key_id')} "
        f"LEFT JOIN numbered_keys e ON e.id = x.email_key_id {_ENTRY}",
        _fields(
            "delivery integer d.n",
            "file_row integer x.file_row",
            "customer_key integer k.n",
            "claimed_email_key integer e.n",
            "name string x.name",
            "town string x.town",
            "closed boolean x.closed",
            "do_not_contact boolean x.do_not_contact",
            "attributes object x.attributes",
        ),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY, _KEY),
    ),
    Resource(
        "matches",
        "matches",
        f"matches x {_OF_DELIVERY} {_OF_KEY.format('key_id')} JOIN numbered_keys o ON o.id = x.other_key_id {_ENTRY}",
        _fields(
            "delivery integer d.n",
            "file_row integer x.file_row",
            "customer_key integer k.n",
            "other_key integer o.n",
            "verdict string x.verdict",
        ),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY, _KEY),
    ),
    Resource(
        "orders",
        "orders",
        f"orders x {_OF_DELIVERY} JOIN numbered_sources s ON s.id = x.source_id "
        f"{_OF_KEY.format('customer_key_id')} {_ENTRY}",
        _fields(
            "order integer x.id",
            "delivery integer d.n",
            "source integer s.n",
            "order_number string x.order_number",
            "customer_key integer k.n",
            "ordered_on date x.ordered_on",
            "ordered_at time x.ordered_at",
            "amount number x.amount",
            "status string x.status",
            "rep string x.rep",
            "channel string x.channel",
            "from_lines boolean x.from_lines",
            "current boolean x.current",
        ),
        ("order",),
        "x.id",
        (_DELIVERY, ("source", "sources", "source"), _KEY),
    ),
    Resource(
        "order_lines",
        "order_lines",
        f"order_lines x {_ENTRY}",
        _fields(
            "order integer x.order_id",
            "sequence integer x.sequence",
            "line_number string x.line_number",
            "product string x.product",
            "category string x.category",
            "quantity number x.quantity",
            "amount number x.amount",
        ),
        ("order", "sequence"),
        "x.order_id, x.sequence",
        (("order", "orders", "order"),),
    ),
    Resource(
        "payments",
        "payments",
        f"payments x {_OF_DELIVERY} JOIN numbered_sources s ON s.id = x.source_id "
        f"{_OF_KEY.format('customer_key_id')} {_ENTRY}",
        _fields(
            "delivery integer d.n",
            "source integer s.n",
            "identity string x.identity",
            "current boolean x.current",
            "reference string x.reference",
            "customer_key integer k.n",
            "order_number string x.order_number",
            "paid_on date x.paid_on",
            "amount number x.amount",
        ),
        ("delivery", "identity"),
        "x.id",
        (_DELIVERY, ("source", "sources", "source"), _KEY),
    ),
    *(
        Resource(
            name,
            name,
            f"{name} x {_OF_DELIVERY} JOIN numbered_sources s ON s.id = x.source_id {_ENTRY}",
            _fields(
                "delivery integer d.n",
                "source integer s.n",
                "identity string x.identity",
                "current boolean x.current",
                *own,
            ),
            ("delivery", "identity"),
            "x.id",
            (_DELIVERY, ("source", "sources", "source")),
        )
        for name, own in (
            ("spend", ("month date x.month", "channel string x.channel", "amount number x.amount")),
            ("events", ("begins_on date x.begins_on", "ends_on date x.ends_on", "label string x.label")),
        )
    ),
    Resource(
        "problems",
        "delivery_problems",
        f"delivery_problems x {_OF_DELIVERY}",
        _fields(
            "delivery integer d.n",
            "sequence integer x.sequence",
            "file_row integer x.file_row",
            "rejected boolean x.rejected",
            "column string x.column_name",
            "value string x.value",
            "reason string x.reason",
            "remedy string x.remedy",
        ),
        ("delivery", "sequence"),
        "d.n, x.sequence",
        (_DELIVERY,),
    ),
    Resource(
        "rejected_rows",
        "rejected_cells",
        f"rejected_cells x {_OF_DELIVERY}",
        _fields("delivery integer d.n", "file_row integer x.file_row", "cells array x.cells"),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY,),
    ),
)
"""In the sequence in which they can come back: what is pointed to comes first."""

_NUMBERED = {"sources": "sources", "deliveries": "deliveries", "keys": "customer_keys"}


def take_out(engine: Engine, book: BookRow, target: Path, advance: Callable[[int, int], None]) -> None:
    """Write a book as a package, as it is at one moment. ``advance`` is told how many rows of how many are behind."""
    with transaction(engine.execution_options(isolation_level="REPEATABLE READ")) as connection:
        number(connection, book.id)
        found = connection.execute(
            text("SELECT revision, next_order_id FROM books WHERE id = :book"), {"book": book.id}
        ).one()
        described: list[dict[str, Any]] = []
        rows, total = 0, _row_count(connection, book.id)
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as package:
            for resource in RESOURCES:
                before = rows

                def advance_by(count: int, before: int = before) -> None:
                    advance(before + count, max(total, before + count))

                described.append(_write(connection, package, book.id, resource, advance_by))
                rows += described[-1]["rows"]
            descriptor = _descriptor(book, found, described)
            content = json.dumps(descriptor, ensure_ascii=False, indent=1) + "\n"
            package.writestr(_entry(DESCRIPTOR), content.encode("utf-8"))


def number(connection: Connection, book_id: int) -> None:
    """Number sources, deliveries and keys of a book from 1 on: a package does not depend on the record's ids."""
    for name, table in _NUMBERED.items():
        connection.execute(
            text(
                f"CREATE TEMPORARY TABLE numbered_{name} (id BIGINT NOT NULL PRIMARY KEY, n BIGINT NOT NULL) "
                f"SELECT id, ROW_NUMBER() OVER (ORDER BY id) AS n FROM {table} WHERE book_id = :book"
            ),
            {"book": book_id},
        )


def _row_count(connection: Connection, book_id: int) -> int:
    """About how many rows a package will have: those of the large tables."""
    counts = (f"(SELECT COUNT(*) FROM {table} WHERE book_id = :book)" for table in ("orders", "order_lines"))
    found: int = connection.execute(text(f"SELECT {' + '.join(counts)}"), {"book": book_id}).scalar_one()
    return found


def _write(
    connection: Connection,
    package: zipfile.ZipFile,
    book_id: int,
    resource: Resource,
    advance: Callable[[int], None],
) -> dict[str, Any]:
    columns = ", ".join(field.sql for field in resource.fields)
    query = text(f"SELECT {columns} FROM {resource.query} ORDER BY {resource.order}")
    found = connection.execution_options(yield_per=_ROWS_AT_ONCE).execute(query, {"book": book_id})
    digest, size, rows = hashlib.sha256(), 0, 0
    with package.open(_entry(resource.path), "w", force_zip64=True) as out:
        header = [field.name for field in resource.fields]
        for count, lines in _pieces(header, found.partitions()):
            out.write(lines)
            digest.update(lines)
            size += len(lines)
            rows += count
            advance(rows)
    return {
        "name": resource.name.replace("_", "-"),
        "path": resource.path,
        "profile": "tabular-data-resource",
        "mediatype": "text/csv",
        "encoding": "utf-8",
        "bytes": size,
        "hash": f"sha256:{digest.hexdigest()}",
        "rows": rows,
        "schema": _schema(resource),
    }


def _pieces(header: Sequence[str], partitions: Iterable[Sequence[Any]]) -> Iterator[tuple[int, bytes]]:
    yield 0, _csv([header])
    for partition in partitions:
        yield len(partition), _csv([_plain(value) for value in row] for row in partition)


def _csv(rows: Iterable[Sequence[str]]) -> bytes:
    out = io.StringIO(newline="")
    csv.writer(out).writerows(rows)
    return out.getvalue().encode("utf-8")


def _plain(value: Any) -> str:
    """A value as Table Schema writes it; nothing where the record has nothing."""
    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.isoformat() + "Z"
    if isinstance(value, dt.timedelta):
        return f"{value // _HOUR:02d}:{value % _HOUR // _MINUTE:02d}:{value % _MINUTE // _SECOND:02d}"
    return guarded(value) if isinstance(value, str) else str(value)


def _schema(resource: Resource) -> dict[str, Any]:
    schema: dict[str, Any] = {
        "fields": [{"name": field.name, "type": field.type} for field in resource.fields],
        "primaryKey": list(resource.key),
        "missingValues": [""],
    }
    for field in schema["fields"]:
        if field["type"] == "boolean":
            field |= {"trueValues": ["1"], "falseValues": ["0"]}
    if resource.points_to:
        schema["foreignKeys"] = [
            {"fields": [own], "reference": {"resource": other.replace("_", "-"), "fields": [theirs]}}
            for own, other, theirs in resource.points_to
        ]
    return schema


def _descriptor(book: BookRow, found: Any, described: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "name": "gold-thread-book",
        "title": book.name,
        "profile": PROFILE,
        "version": VERSION,
        "book": {
            "currency": book.currency,
            "time_zone": book.time_zone,
            "revision": found[0],
            "next_order_id": found[1],
        },
        "resources": described,
    }


def _entry(name: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(name, _MADE_AT)
    entry.compress_type = zipfile.ZIP_DEFLATED
    entry.external_attr = 0o644 << 16
    return entry
