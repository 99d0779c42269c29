"""Own attributes of orders, read back one by one as codes for the core.

Each delivery has a dictionary of its own; they become one here. What was read stands beside the book's snapshot from
then on, memory-mapped.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from sqlalchemy import text

from goldthread.core.book.columns import Attribute, Codes
from goldthread.core.book.own_attributes import OwnAttributes, OwnColumn
from goldthread.core.money import decimal_minor
from goldthread.core.records import AttributeType
from goldthread.store.read.orders_with_lines import holds_still, lined_orders
from goldthread.store.revisions import Stamped
from goldthread.store.server.bulk import Record, each_of, numbers, read
from goldthread.store.snapshot import Beside, kept_beside

_COLUMNS = """
SELECT a.slot, a.name, a.title, a.hidden, MIN(c.type) AS type, COUNT(DISTINCT c.type) AS types
FROM own_attributes a JOIN own_columns c ON c.book_id = a.book_id AND c.slot = a.slot
WHERE a.book_id = :book GROUP BY a.slot, a.name, a.title, a.hidden ORDER BY a.slot
"""
_CODES = """
SELECT order_id AS id, CAST(own_{slot} AS SIGNED) AS code FROM {each} own_codes
WHERE book_id = {book} AND own_{slot} IS NOT NULL {some} ORDER BY order_id
"""
_VALUES = """
SELECT CAST(v.delivery_id AS SIGNED) AS delivery, CAST(v.code AS SIGNED) AS code, v.value AS value,
  d.first_order_id AS first, d.last_order_id AS last
FROM own_values v JOIN deliveries d ON d.id = v.delivery_id
WHERE v.book_id = {book} AND v.slot = {slot} ORDER BY v.delivery_id
"""
_LABELS = "SELECT DISTINCT value FROM own_values WHERE book_id = :book AND slot = :slot ORDER BY value LIMIT :most"
_NARROW = 1 << 16
_TABLE_ROOM = 16


@dataclass(frozen=True)
class OwnRow:
    """An own attribute on record; its type is what its deliveries agree on, text where they do not."""

    name: str
    column: OwnColumn


def own_rows(record: Record, book_id: int) -> list[OwnRow]:
    """The own attributes that some delivery of a book gives, hidden ones included."""
    with record.engine.connect() as connection:
        found = connection.execute(text(_COLUMNS), {"book": book_id}).all()
    return [
        OwnRow(row.name, OwnColumn(row.title, _type(row.type, row.types), bool(row.hidden), row.slot)) for row in found
    ]


def _type(one: str, types: int) -> AttributeType:
    return AttributeType(one) if types == 1 else AttributeType.TEXT


def own_attributes(record: Record, book_id: int, at: Stamped, snapshots: Path) -> OwnAttributes:
    """The own attributes of a book at a revision. Reading one raises `Outdated` when the book has moved on."""
    columns = {row.name: row.column for row in own_rows(record, book_id)}

    def attribute(name: str, order_id: NDArray[np.int64]) -> Attribute:
        column = columns[name]

        def codes() -> Beside:
            found = _read(record, book_id, column, order_id)
            return Beside({"codes": found.codes}, {"codes": found.labels})

        holds = partial(holds_still, record, book_id, at)
        return kept_beside(snapshots, book_id, at, f"own-{column.slot}", codes, holds).attribute("codes")

    def labels(name: str, most: int) -> tuple[str, ...]:
        with record.engine.connect() as connection:
            values = {"book": book_id, "slot": columns[name].slot, "most": most}
            return tuple(connection.execute(text(_LABELS), values).scalars())

    return OwnAttributes(columns, attribute, labels)


def own_of_orders(record: Record, book_id: int, column: OwnColumn, order_id: NDArray[np.int64]) -> Attribute:
    """An own attribute of some orders as it is now, read for these alone."""
    return _read(record, book_id, column, order_id, of_these=True)


def _read(
    record: Record, book_id: int, column: OwnColumn, order_id: NDArray[np.int64], *, of_these: bool = False
) -> Attribute:
    headers, lined = lined_orders(record, book_id, order_id if of_these else None)
    each, some = (each_of(np.concatenate([order_id, lined])), "AND order_id = some.id") if of_these else ("", "")
    known = read(record, _VALUES.format(book=int(book_id), slot=column.slot))
    codes = read(record, _CODES.format(book=int(book_id), slot=column.slot, each=each, some=some))
    labels, place = _labels(known.column("value"), column.type)
    ids, code = numbers(codes, "id"), numbers(codes, "code")
    blank = len(labels)
    of_order: Codes = np.full(ids.size, blank, np.uint16 if blank < _NARROW else np.uint32)
    delivery, of_value = numbers(known, "delivery"), numbers(known, "code")
    first, last = numbers(known, "first"), numbers(known, "last")
    starts = np.flatnonzero(np.diff(delivery, prepend=-1))
    for start, end in pairwise([*starts.tolist(), delivery.size]):
        own = slice(*np.searchsorted(ids, (first[start], last[start] + 1)).tolist())
        largest = max(int(of_value[start:end].max()), int(code[own].max(initial=0)))
        of_code = np.full(largest + 1, blank, of_order.dtype)
        of_code[of_value[start:end]] = place[start:end]
        of_order[own] = of_code.take(code[own])
    spread = _spread(ids, of_order, order_id, blank)
    if headers.size:
        by_lines = _spread(headers, _spread(ids, of_order, lined, blank), order_id, blank)
        spread = np.where(spread == blank, by_lines, spread)
    return Attribute(spread, (*labels, ""))


def _spread(ids: NDArray[np.int64], codes: Codes, order_id: NDArray[np.int64], blank: int) -> Codes:
    """The code of each order, blank for one that has none; by a table where ids lie close together, as they do."""
    largest = max(int(ids.max(initial=-1)), int(order_id.max(initial=-1)))
    if largest < _TABLE_ROOM * (order_id.size + ids.size + 1):
        by_id = np.full(largest + 1, blank, codes.dtype)
        by_id[ids] = codes
        return by_id.take(order_id)
    at = np.minimum(np.searchsorted(ids, order_id), max(ids.size - 1, 0))
    found = np.full(order_id.size, blank, codes.dtype)
    having = np.flatnonzero(ids.take(at) == order_id) if ids.size else np.zeros(0, np.int64)
    found[having] = codes.take(at.take(having))
    return found


def _labels(values: pa.ChunkedArray, kind: AttributeType) -> tuple[list[str], NDArray[np.int64]]:
    """The distinct values in the order of what they say, and the place of each value among them."""
    texts: list[str] = values.to_pylist()
    distinct = sorted(set(texts), key=decimal_minor if kind is AttributeType.NUMBER else None)
    place_of = {value: place for place, value in enumerate(distinct)}
    return distinct, np.fromiter(map(place_of.__getitem__, texts), np.int64, len(texts))
