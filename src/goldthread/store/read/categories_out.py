"""The category of each order: the one that most of its amount is of, read from its lines.

An order that one file of its source gives as a whole and another line by line has the categories of the other. Lines
are added up here: grouping millions of them in the database takes ten times as long as reading them.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from sqlalchemy import select

from goldthread.core.book.columns import Attribute, without_unused
from goldthread.core.book.summing import distinct
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.store.read.orders_with_lines import lined_orders
from goldthread.store.schema.models import OrderLine
from goldthread.store.server.bulk import Record, each_of, labelled, numbers, read

Int64s = NDArray[np.int64]
_LINES = f"""
SELECT l.order_id AS id, l.category AS category, CAST(l.amount * {MINOR_PER_UNIT} AS SIGNED) AS amount
FROM {{each}} order_lines l WHERE l.book_id = {{book}} AND l.category <> '' {{some}}
"""


def lines_query(book_id: int) -> str:
    """SQL of id, category and amount of every line with a category, those of earlier versions of orders too."""
    return _LINES.format(book=int(book_id), each="", some="")


def lines_of_some(record: Record, book_id: int, order_id: Int64s) -> pa.Table:
    """The same of some orders, with those that another file has of them. Of a book without lines none is looked up."""
    with record.engine.connect() as connection:
        if connection.execute(select(OrderLine.order_id).where(OrderLine.book_id == book_id).limit(1)).first() is None:
            return pa.table({"id": pa.array([], pa.int64()), "category": pa.array([], pa.large_string()), "amount": []})
    headers, versions = lined_orders(record, book_id, order_id)
    each = each_of(np.concatenate([order_id, versions]))
    query = _LINES.format(book=int(book_id), each=each, some="AND l.order_id = some.id")
    return with_lined(read(record, query), headers, versions)


def with_lined(lines: pa.Table, headers: Int64s, versions: Int64s) -> pa.Table:
    """All lines, those of a version that stands for an order of another file under the id of this order."""
    if headers.size == 0 or lines.num_rows == 0:
        return lines
    by_version = np.argsort(versions)
    ids = numbers(lines, "id")
    at = np.minimum(np.searchsorted(versions, ids, sorter=by_version), versions.size - 1)
    place = by_version.take(at)
    own = np.where(versions.take(place) == ids, headers.take(place), ids)
    return lines.set_column(lines.schema.get_field_index("id"), "id", pa.array(own))


def categories(lines: pa.Table, order_id: Int64s) -> Attribute:
    """The category of each order: the one with the largest amount, ties by name; the empty label without lines.

    Lines of orders that are not among ``order_id`` are passed over.
    """
    by_id = np.argsort(order_id, kind="stable")
    ids, of_line = order_id.take(by_id), numbers(lines, "id")
    place = np.searchsorted(ids, of_line)
    counted = np.flatnonzero(ids.take(np.minimum(place, ids.size - 1)) == of_line) if ids.size else place[:0]
    if counted.size == 0:
        return Attribute(np.zeros(order_id.size, np.uint16), ("",))
    # what only earlier versions of orders say is no label
    labels = labelled(lines.column("category").take(pa.array(counted)))
    count = len(labels.labels)
    pairs = place.take(counted) * count + labels.codes
    order = np.argsort(pairs, kind="stable")
    pairs = pairs.take(order)
    of_pair = distinct(pairs)
    amount = np.add.reduceat(numbers(lines, "amount").take(counted.take(order)), np.searchsorted(pairs, of_pair))
    owner = of_pair // count
    starts = np.flatnonzero(np.diff(owner, prepend=-1))
    largest = np.maximum.reduceat(amount, starts)
    best = np.flatnonzero(amount == np.repeat(largest, np.diff(starts, append=owner.size)))
    best = best[np.diff(owner.take(best), prepend=-1) != 0]
    codes = np.full(order_id.size, count, np.uint32)
    codes[by_id.take(owner.take(best))] = of_pair.take(best) % count
    found = Attribute(codes.astype(np.uint16) if count < 1 << 16 else codes, (*labels.labels, ""))
    return without_unused(found, keeps="")
