"""A package that was taken out becomes a book again, in one transaction."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine, text

from goldthread.core.records import unguarded
from goldthread.errors import TooLarge, UnreadableFile
from goldthread.store import identity
from goldthread.store.books import BookRow, find_book, insert_book
from goldthread.store.orders_in import transaction
from goldthread.store.package import DESCRIPTOR, PROFILE, RESOURCES, VERSION, Resource
from goldthread.store.staged_orders import found_customers
from goldthread.store.staging import load

_ROWS_AT_ONCE = 50_000
_DESCRIPTOR_BYTES = 1 << 20
_ESCAPES = str.maketrans({"\\": "\\\\", "\t": "\\t", "\n": "\\n", "\r": "\\r"})
_NUMBERED = {
    "source": "sources",
    "delivery": "deliveries",
    "customer_key": "customer_keys",
    "claimed_email_key": "customer_keys",
    "other_key": "customer_keys",
}
"""Fields that hold a number of the package's own, and the table whose ids take their place."""
_NAMED_OTHERWISE = {
    "customer_records": {"customer_key": "key_id", "claimed_email_key": "email_key_id", "delivery": "delivery_id"},
    "matches": {"customer_key": "key_id", "other_key": "other_key_id", "delivery": "delivery_id"},
    "orders": {"order": "id"},
    "order_lines": {"order": "order_id"},
    "delivery_problems": {"column": "column_name"},
}
_COLUMN_NAMES = {"source": "source_id", "delivery": "delivery_id", "customer_key": "customer_key_id"}
_WITHOUT_BOOK = ("delivery_problems", "rejected_cells")
_OWN_NUMBER = {"sources": "source", "deliveries": "delivery", "customer_keys": "customer_key"}


@dataclass
class _Arrival:
    """A package on its way in: the book it becomes, and the ids that its own numbers have come to stand for."""

    connection: Connection
    book_id: int
    ids: dict[str, NDArray[np.int64]] = field(default_factory=dict)


def bring_back(
    engine: Engine, path: Path, name: str | None, limit_bytes: int, advance: Callable[[int, int], None]
) -> BookRow:
    """Make a book of a package, under its own name or another. All or nothing.

    Raises `UnreadableFile` for a file that is no package of ours, or was damaged or changed, `TooLarge`, and `Conflict`
    when the name is taken.
    """
    try:
        with zipfile.ZipFile(path) as package:
            descriptor = _descriptor(package, limit_bytes)
            about = descriptor["book"]
            with transaction(engine) as connection:
                book = (name or str(descriptor["title"]), str(about["currency"]), str(about["time_zone"]))
                book_id = insert_book(connection, *book)
                _fill(_Arrival(connection, book_id), package, descriptor, advance)
                connection.commit()
    except (zipfile.BadZipFile, OSError, EOFError, KeyError, TypeError, ValueError) as error:
        raise UnreadableFile(
            f"This is no whole book that was taken out ({error}).", remedy="Take the book out again."
        ) from None
    return find_book(engine, book_id)


def _descriptor(package: zipfile.ZipFile, limit_bytes: int) -> dict[str, Any]:
    with package.open(DESCRIPTOR) as content:
        descriptor: dict[str, Any] = json.loads(content.read(_DESCRIPTOR_BYTES))
    if descriptor.get("profile") != PROFILE or descriptor.get("version") != VERSION or "book" not in descriptor:
        raise UnreadableFile(
            "This data package does not hold a book of ours.", remedy="Bring its tables in as files, one by one."
        )
    if sum(entry.file_size for entry in package.infolist()) > limit_bytes:
        raise TooLarge(
            f"The book unpacks to more than {limit_bytes >> 20} MiB.",
            remedy="Raise unpacked_limit_mib in the settings.",
        )
    return descriptor


def _fill(
    arrival: _Arrival, package: zipfile.ZipFile, descriptor: dict[str, Any], advance: Callable[[int, int], None]
) -> None:
    described = {each["path"]: each for each in descriptor["resources"]}
    total = sum(int(each["rows"]) for each in described.values())
    connection, values = arrival.connection, {"book": arrival.book_id}
    connection.execute(text("SET SESSION foreign_key_checks = 0"))
    behind = 0
    for resource in RESOURCES:
        for rows in _bring(arrival, package, resource, described[resource.path]):
            behind += rows
            advance(behind, total)
    found_customers(connection, arrival.book_id)
    identity.gather(connection, "SELECT id FROM customer_keys WHERE book_id = :book", dict(values))
    identity.settle(connection)
    about = descriptor["book"]
    connection.execute(
        text("UPDATE books SET revision = :revision, next_order_id = :next WHERE id = :book"),
        values | {"revision": int(about["revision"]), "next": int(about["next_order_id"])},
    )


def _bring(
    arrival: _Arrival,
    package: zipfile.ZipFile,
    resource: Resource,
    described: dict[str, Any],
) -> Iterator[int]:
    """Load a resource piece by piece; how many rows each had."""
    with package.open(resource.path) as content:
        told = _Digest(content)
        text_of = io.TextIOWrapper(io.BufferedReader(told), "utf-8", newline="")
        reader = csv.reader(text_of, strict=True)
        if next(reader, None) != [each.name for each in resource.fields]:
            raise UnreadableFile(f"{resource.path} has other columns than a book has.", remedy="Take it out again.")
        rows = 0
        while piece := list(islice(reader, _ROWS_AT_ONCE)):
            _load(arrival, resource, piece)
            rows += len(piece)
            yield len(piece)
    if f"sha256:{told.digest.hexdigest()}" != described["hash"] or rows != described["rows"]:
        raise UnreadableFile(
            f"{resource.path} was changed or damaged since the book was taken out.", remedy="Take the book out again."
        )
    if resource.table in _OWN_NUMBER:
        query = text(f"SELECT id FROM {resource.table} WHERE book_id = :book ORDER BY id")
        found = arrival.connection.execute(query, {"book": arrival.book_id}).scalars()
        arrival.ids[resource.table] = np.fromiter(found, np.int64)


class _Digest(io.RawIOBase):
    """A stream whose bytes are summed up while they are read."""

    def __init__(self, content: Any) -> None:
        self._content = content
        self.digest = hashlib.sha256()

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        piece: bytes = self._content.read(len(buffer))
        self.digest.update(piece)
        buffer[: len(piece)] = piece
        return len(piece)


def _load(arrival: _Arrival, resource: Resource, rows: list[list[str]]) -> None:
    own = _OWN_NUMBER.get(resource.table)
    places = [place for place, each in enumerate(resource.fields) if each.name != own]
    names = [_column(resource, resource.fields[place].name) for place in places]
    further = [] if resource.table in _WITHOUT_BOOK else [("book_id", str(arrival.book_id))]
    if resource.table == "customer_keys":
        further.append(("customer_id", "0"))
    columns = [_values(arrival, resource, place, rows) for place in places]
    statement = (
        rf"LOAD DATA LOCAL INFILE :path INTO TABLE {resource.table} CHARACTER SET utf8mb4 "
        rf"FIELDS TERMINATED BY '\t' ESCAPED BY '\\' LINES TERMINATED BY '\n' "
        f"({', '.join([*names, *(name for name, _ in further)])})"
    )
    columns += [[value] * len(rows) for _, value in further]
    load(arrival.connection, statement, zip(*columns, strict=True), len(rows))


def _column(resource: Resource, name: str) -> str:
    return _NAMED_OTHERWISE.get(resource.table, {}).get(name) or _COLUMN_NAMES.get(name, name)


def _values(arrival: _Arrival, resource: Resource, place: int, rows: list[list[str]]) -> Sequence[str]:
    """A column as LOAD DATA takes it: numbers of the package's own as ids, nothing as NULL where texts are not."""
    told = resource.fields[place]
    texts: Iterator[str] = (row[place] for row in rows)
    if told.name in _NUMBERED:
        ids = arrival.ids[_NUMBERED[told.name]]
        return [str(ids[int(value) - 1]) if value else r"\N" for value in texts]
    if told.type == "datetime":
        return [value.removesuffix("Z").replace("T", " ") or r"\N" for value in texts]
    if told.type == "string" and told.name != "fingerprint":
        return [unguarded(value).translate(_ESCAPES) for value in texts]
    return [value.translate(_ESCAPES) if value else r"\N" for value in texts]
