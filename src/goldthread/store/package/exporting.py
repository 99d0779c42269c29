"""A whole book as a Frictionless Data Package, and back: a zip of CSVs (RFC 4180) that ``datapackage.json`` describes.

What the deliveries gave is exported, version by version, with their log; customers are worked out from it again when
the book is imported (`goldthread.store.write.identity`), and every delivery can be withdrawn as before. Taking the same
book out twice, or out of the book it became elsewhere, gives the same bytes.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import Connection, Engine, select, text

from goldthread.csv_writer import csv_text
from goldthread.store.books import BookRow
from goldthread.store.lists import STORED as MEMBERS_STORED
from goldthread.store.package.resources import RESOURCES, Resource
from goldthread.store.schema.models import CustomerList
from goldthread.store.server.engine import transaction
from goldthread.store.write.loading import load

DESCRIPTOR = "datapackage.json"
PROFILE = "tabular-data-package"
VERSION = 6
"""The first version had neither saved views nor customer lists, the second no own attributes of orders, the third
nothing of how lists were worked, the fourth neither notes nor briefs, the fifth no usual settings."""
_MADE_AT = (1980, 1, 1, 0, 0, 0)
_ROWS_AT_ONCE = 10_000
_HOUR, _MINUTE, _SECOND = dt.timedelta(hours=1), dt.timedelta(minutes=1), dt.timedelta(seconds=1)


_NUMBERED = {
    "sources": "sources",
    "deliveries": "deliveries",
    "keys": "customer_keys",
    "lists": "customer_lists",
    "notes": "notes",
    "briefs": "briefs",
}


def export_book(engine: Engine, book: BookRow, target: Path, advance: Callable[[int, int], None]) -> None:
    """Write a book as a package, as it is at one moment. ``advance`` is called with the rows done and all rows."""
    with transaction(engine.execution_options(isolation_level="REPEATABLE READ")) as connection:
        number(connection, book.id)
        _list_members(connection, book.id)
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
    """Number sources, deliveries and keys of a book from 1 on: a package does not depend on the record's ids.

    They are read and loaded, since a table that is made of a query locks what it reads until the end.
    """
    for name, table in _NUMBERED.items():
        created = f"CREATE TEMPORARY TABLE numbered_{name} (id BIGINT NOT NULL PRIMARY KEY, n BIGINT NOT NULL)"
        connection.execute(text(f"{created} ENGINE=Aria TRANSACTIONAL=0"))
        query = text(f"SELECT id FROM {table} WHERE book_id = :book ORDER BY id")
        ids = np.fromiter(connection.execute(query, {"book": book_id}).scalars(), np.int64).tolist()
        numbered = ((str(each), str(place)) for place, each in enumerate(ids, 1))
        load(connection, f"numbered_{name}", ("id", "n"), numbered, len(ids))


def _list_members(connection: Connection, book_id: int) -> None:
    """The members of all lists one by one. The id of a customer is that of one of its keys."""
    connection.execute(
        text(
            "CREATE TEMPORARY TABLE listed_members (list_id INT NOT NULL, key_id BIGINT NOT NULL) "
            "ENGINE=Aria TRANSACTIONAL=0"
        )
    )
    query = select(CustomerList.id, CustomerList.customer_ids).where(CustomerList.book_id == book_id)
    for number, stored in connection.execute(query).all():
        ids = np.frombuffer(stored, MEMBERS_STORED).tolist()
        load(connection, "listed_members", ("list_id", "key_id"), ((str(number), str(each)) for each in ids), len(ids))


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
    yield 0, csv_text([header]).encode()
    for partition in partitions:
        yield len(partition), csv_text([_plain(value) for value in row] for row in partition).encode()


def _plain(value: Any) -> str:
    """A value as Table Schema writes it; nothing where the record has nothing."""
    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.isoformat() + "Z"
    if isinstance(value, dt.timedelta):
        return f"{value // _HOUR:02d}:{value % _HOUR // _MINUTE:02d}:{value % _MINUTE // _SECOND:02d}"
    return str(value)


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
