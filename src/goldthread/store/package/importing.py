"""A package that was taken out becomes a book again, in one transaction."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine, func, select, text, update

from goldthread.core.limits import AMOUNT_BELOW, BOOK_AMOUNT_BELOW, FIRST_DATE, LAST_DATE
from goldthread.core.records import unguarded
from goldthread.errors import TooLarge, UnreadableFile
from goldthread.store.books import BookRow, find_book, insert_book
from goldthread.store.lists import STORED as MEMBERS_STORED
from goldthread.store.package.exporting import DESCRIPTOR, PROFILE, VERSION
from goldthread.store.package.resources import RESOURCES, Resource
from goldthread.store.revisions import step_to
from goldthread.store.schema.models import CustomerList, ListChange
from goldthread.store.server.engine import transaction
from goldthread.store.write import identity
from goldthread.store.write.loading import load
from goldthread.store.write.orders_in import absolute_amounts
from goldthread.store.write.staged_orders import found_customers

_ROWS_AT_ONCE = 50_000
_DESCRIPTOR_BYTES = 1 << 20
_NUMBERED = {
    "source": "sources",
    "delivery": "deliveries",
    "customer_key": "customer_keys",
    "claimed_email_key": "customer_keys",
    "other_key": "customer_keys",
    "list": "customer_lists",
    "brief": "briefs",
}
"""Fields that hold a number of the package's own, and the table whose ids take their place."""
_NAMED_OTHERWISE = {
    "customer_records": {"customer_key": "key_id", "claimed_email_key": "email_key_id", "delivery": "delivery_id"},
    "matches": {"customer_key": "key_id", "other_key": "other_key_id", "delivery": "delivery_id"},
    "orders": {"order": "id"},
    "order_lines": {"order": "order_id"},
    "own_codes": {"order": "order_id"},
    "delivery_problems": {"column": "column_name"},
    "list_members": {"list": "list_id", "customer_key": "key_id"},
    "list_changes": {"list": "list_id", "customer_key": "customer_id"},
    "list_mails": {"list": "list_id", "customer_key": "customer_id"},
    "notes": {"list": "list_id"},
    "findings": {"brief": "brief_id"},
}
_COLUMN_NAMES = {"source": "source_id", "delivery": "delivery_id", "customer_key": "customer_key_id"}
_OUTSIDE = {
    "orders": "ordered_on NOT BETWEEN :first AND :last OR (NOT from_lines AND ABS(amount) >= :amount)",
    "order_lines": "ABS(amount) >= :amount",
    "payments": "paid_on NOT BETWEEN :first AND :last OR ABS(amount) >= :amount",
    "spend": "month NOT BETWEEN :first AND :last OR ABS(amount) >= :amount",
    "events": "begins_on NOT BETWEEN :first AND :last OR ends_on NOT BETWEEN :first AND :last",
}
"""What the limits of a record leave out, by table; an order of lines may come to more than one amount."""
_MISWRITTEN = """
SELECT COUNT(*) FROM own_values v
JOIN own_columns c ON c.book_id = v.book_id AND c.delivery_id = v.delivery_id AND c.slot = v.slot
WHERE v.book_id = :book AND ((c.type = 'number' AND v.value NOT REGEXP :number)
  OR (c.type = 'date' AND (v.value NOT REGEXP :date OR CAST(v.value AS DATE) IS NULL)))
"""
_MISWORKED = """
SELECT COUNT(*) FROM list_changes c JOIN customer_lists l ON l.id = c.list_id
WHERE l.book_id = :book AND ((c.field = 'state' AND c.value NOT IN ('', 'to_do', 'contacted', 'left_out'))
  OR (c.field IN ('contacted_on', 'call_on') AND c.value <> ''
    AND (c.value NOT REGEXP :date OR CAST(c.value AS DATE) IS NULL)))
"""
_NUMBER, _DATE = r"^-?[0-9]{1,11}(\.[0-9]{1,4})?$", r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$"
_WITHOUT_BOOK = ("delivery_problems", "rejected_cells", "list_members", "list_changes", "list_mails", "findings")
_USUAL = """
UPDATE books b SET usual = COALESCE(
  (SELECT said FROM usual_changes WHERE book_id = b.id ORDER BY id DESC LIMIT 1), '')
WHERE b.id = :book
"""
_MEMBERS = """
CREATE TEMPORARY TABLE list_members (list_id INT NOT NULL, key_id BIGINT NOT NULL) ENGINE=Aria TRANSACTIONAL=0
"""
_OWN_NUMBER = {
    "sources": "source",
    "deliveries": "delivery",
    "customer_keys": "customer_key",
    "customer_lists": "list",
    "notes": "note",
    "briefs": "brief",
}


@dataclass
class _Arrival:
    """A package on its way in: the book it becomes, and the ids that its own numbers have come to stand for."""

    connection: Connection
    book_id: int
    ids: dict[str, NDArray[np.int64]] = field(default_factory=dict)


def import_book(
    engine: Engine, path: Path, name: str | None, limit_bytes: int, advance: Callable[[int, int], None]
) -> BookRow:
    """Make a book of a package, under its own name or another. All or nothing.

    Raises `UnreadableFile` for a file that is no package of ours, or was damaged or changed, `TooLarge`, and `Conflict`
    when the name is taken.
    """
    with _package(path) as package:
        descriptor = _descriptor(package, limit_bytes)
        about = descriptor["book"]
        with transaction(engine) as connection:
            book = (name or str(descriptor["title"]), str(about["currency"]), str(about["time_zone"]))
            book_id = insert_book(connection, *book)
            _fill(_Arrival(connection, book_id), package, descriptor, advance)
            connection.commit()
    return find_book(engine, book_id)


@contextmanager
def _package(path: Path) -> Iterator[zipfile.ZipFile]:
    """A package whose content is read. Raises `UnreadableFile` for what the file itself is at fault for."""
    try:
        with zipfile.ZipFile(path) as package:
            yield package
    except (zipfile.BadZipFile, EOFError, zlib.error, csv.Error, UnicodeDecodeError) as error:
        raise UnreadableFile(f"This is not an exported book ({error}).", remedy="Export the book again.") from None


def _descriptor(package: zipfile.ZipFile, limit_bytes: int) -> dict[str, Any]:
    """What the package says of itself, every entry that is needed being there and of its kind."""
    try:
        with package.open(DESCRIPTOR) as content:
            descriptor: dict[str, Any] = json.loads(content.read(_DESCRIPTOR_BYTES))
        about, described = descriptor["book"], {each["path"]: each for each in descriptor["resources"]}
        ours = descriptor["profile"] == PROFILE and descriptor["version"] in range(1, VERSION + 1)
        _ = int(about["revision"]), int(about["next_order_id"]), about["currency"], about["time_zone"]
        _ = [(int(described[each.path]["rows"]), described[each.path]["hash"]) for each in _resources(descriptor)]
        _ = [package.getinfo(each.path) for each in _resources(descriptor)]
    except (KeyError, TypeError, ValueError, RecursionError):
        ours = False
    if not ours:
        raise UnreadableFile(
            "This data package is not an exported book of Gold Thread.",
            remedy="Import its tables as files, one by one.",
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
    connection.execute(text(_MEMBERS))
    for resource in _resources(descriptor):
        for rows in _bring(arrival, package, resource, described[resource.path]):
            behind += rows
            advance(behind, total)
    found_customers(connection, arrival.book_id)
    identity.gather(connection, "SELECT id FROM customer_keys WHERE book_id = :book", dict(values))
    identity.settle(connection)
    _fill_lists(connection, arrival.book_id)
    connection.execute(text(_USUAL), values)
    about = descriptor["book"]
    require_limits(connection, arrival.book_id)
    connection.execute(
        text("UPDATE books SET next_order_id = :next WHERE id = :book"), values | {"next": int(about["next_order_id"])}
    )
    if int(about["revision"]) > 0:
        step_to(connection, arrival.book_id, int(about["revision"]))


def _resources(descriptor: dict[str, Any]) -> list[Resource]:
    """The tables that a package of its version has."""
    return [each for each in RESOURCES if each.since <= descriptor["version"]]


def _fill_lists(connection: Connection, book_id: int) -> None:
    """Give each list its members, which came one by one, and the number of its last change."""
    members: dict[int, list[int]] = {}
    for number, key in connection.execute(text("SELECT list_id, key_id FROM list_members ORDER BY list_id, key_id")):
        members.setdefault(number, []).append(key)
    last = (
        select(ListChange.list_id, func.max(ListChange.number))
        .join(CustomerList, CustomerList.id == ListChange.list_id)
        .where(CustomerList.book_id == book_id)
        .group_by(ListChange.list_id)
    )
    changes = {int(number): int(change) for number, change in connection.execute(last)}
    for number in connection.execute(select(CustomerList.id).where(CustomerList.book_id == book_id)).scalars().all():
        ids = np.array(members.get(number, []), MEMBERS_STORED)
        connection.execute(
            update(CustomerList)
            .where(CustomerList.id == number)
            .values(customer_ids=ids.tobytes(), customer_count=int(ids.size), changes=changes.get(number, 0))
        )


def require_limits(connection: Connection, book_id: int) -> None:
    """Raises `UnreadableFile` for a book with dates or amounts that no record can have (definitions, 1.9)."""
    values = {"book": book_id, "first": FIRST_DATE, "last": LAST_DATE, "amount": AMOUNT_BELOW}
    for table, outside in _OUTSIDE.items():
        found = connection.execute(text(f"SELECT COUNT(*) FROM {table} WHERE book_id = :book AND ({outside})"), values)
        if count := found.scalar_one():
            raise UnreadableFile(
                f"{count} rows of {table} have a date or an amount outside the limits of a record.",
                remedy="Correct the package's tables and import them as files, one by one.",
            )
    written = {"book": book_id, "number": _NUMBER, "date": _DATE}
    if connection.execute(text(_MISWRITTEN), written).scalar_one():
        raise UnreadableFile(
            "An attribute of orders has values that are not what the package says they are.",
            remedy="Export the book again.",
        )
    if connection.execute(text(_MISWORKED), {"book": book_id, "date": _DATE}).scalar_one():
        raise UnreadableFile(
            "What was done about the members of a list is not what the package says it is.",
            remedy="Export the book again.",
        )
    bound = absolute_amounts(connection, book_id)
    if bound >= BOOK_AMOUNT_BELOW:
        raise TooLarge(
            f"The amounts of this book add up to {bound:.0f}; a book holds less than {BOOK_AMOUNT_BELOW:.0f}.",
            remedy="Check that the amounts are amounts.",
        )
    connection.execute(text("UPDATE books SET amount_bound = :bound WHERE id = :book"), values | {"bound": bound})


def _bring(
    arrival: _Arrival,
    package: zipfile.ZipFile,
    resource: Resource,
    described: dict[str, Any],
) -> Iterator[int]:
    """Load a resource piece by piece; how many rows each had."""
    with package.open(resource.path) as content:
        digest = _Digest(content)
        text_of = io.TextIOWrapper(io.BufferedReader(digest), "utf-8", newline="")
        reader = csv.reader(text_of, strict=True)
        if next(reader, None) != [each.name for each in resource.fields]:
            raise UnreadableFile(f"{resource.path} has other columns than a book has.", remedy="Export it again.")
        rows = 0
        while piece := list(islice(reader, _ROWS_AT_ONCE)):
            if set(map(len, piece)) != {len(resource.fields)}:
                raise UnreadableFile(f"{resource.path} has rows of another width.", remedy="Export the book again.")
            _load(arrival, resource, piece)
            rows += len(piece)
            yield len(piece)
    if f"sha256:{digest.digest.hexdigest()}" != described["hash"] or rows != described["rows"]:
        raise UnreadableFile(
            f"{resource.path} was changed or damaged since the book was exported.", remedy="Export the book again."
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
    if resource.table == "customer_lists":
        further.append(("customer_ids", ""))
    columns = [_values(arrival, resource, place, rows) for place in places]
    columns += [[value] * len(rows) for _, value in further]
    names += [name for name, _ in further]
    load(arrival.connection, resource.table, names, zip(*columns, strict=True), len(rows), exact=True)


def _ids(ids: NDArray[np.int64], numbers: list[str], resource: Resource) -> list[str | None]:
    """What numbers of the package's own have come to stand for. Raises `UnreadableFile` for one that names nothing."""
    if any(number and not (number.isdecimal() and 1 <= int(number) <= ids.size) for number in numbers):
        raise UnreadableFile(f"{resource.path} points to what is not there.", remedy="Export the book again.")
    return [str(ids[int(number) - 1]) if number else None for number in numbers]


def _column(resource: Resource, name: str) -> str:
    return _NAMED_OTHERWISE.get(resource.table, {}).get(name) or _COLUMN_NAMES.get(name, name)


def _values(arrival: _Arrival, resource: Resource, place: int, rows: list[list[str]]) -> Sequence[str | None]:
    """A column as it is loaded: numbers of the package's own as ids, nothing as NULL where texts are not."""
    digest = resource.fields[place]
    texts: Iterator[str] = (row[place] for row in rows)
    if digest.name in _NUMBERED:
        return _ids(arrival.ids[_NUMBERED[digest.name]], list(texts), resource)
    if digest.type == "datetime":
        return [value.removesuffix("Z").replace("T", " ") or None for value in texts]
    if digest.type == "string" and digest.name != "fingerprint":
        return [unguarded(value) for value in texts]
    return [value or None for value in texts]
