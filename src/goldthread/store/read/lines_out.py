"""Order lines read back in bulk, for the orders that a book holds.

An order that one file of its source gives as a whole and another line by line has the lines of the other. What was read
stands beside the book's snapshot from then on, memory-mapped.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, without_unused
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.store.read.orders_with_lines import holds_still, lined_orders
from goldthread.store.revisions import Stamped
from goldthread.store.server.bulk import Record, each_of, labelled, numbers, read
from goldthread.store.snapshot import Beside, kept_beside

Int64s = NDArray[np.int64]
LINES_QUERY = f"""
SELECT l.order_id AS id, l.product AS product, l.category AS category,
  CAST(l.amount * {MINOR_PER_UNIT} AS SIGNED) AS amount
FROM {{each}} order_lines l WHERE l.book_id = {{book}} {{some}} ORDER BY l.order_id, l.sequence
"""


def lines_on_record(record: Record, book_id: int, at: Stamped, snapshots: Path) -> LinesOnRecord:
    """The lines of a book at a revision. Reading them raises `Outdated` when the book has moved on."""

    def lines(order_id: Int64s) -> OrderLines:
        holds = partial(holds_still, record, book_id, at)
        return _lines(kept_beside(snapshots, book_id, at, "lines", lambda: _read(record, book_id, order_id), holds))

    return LinesOnRecord(lines)


def lines_of_orders(record: Record, book_id: int, order_id: Int64s) -> OrderLines:
    """The lines of some orders as they are now, read for these alone."""
    return _lines(_read(record, book_id, order_id, of_these=True))


def _lines(kept: Beside) -> OrderLines:
    order, amount = kept.columns["order"], kept.columns["amount"]
    return OrderLines(order, kept.attribute("product"), kept.attribute("category"), amount)


def _read(record: Record, book_id: int, order_id: Int64s, *, of_these: bool = False) -> Beside:
    headers, versions = lined_orders(record, book_id, order_id if of_these else None)
    each, some = (each_of(np.concatenate([order_id, versions])), "AND l.order_id = some.id") if of_these else ("", "")
    table = read(record, LINES_QUERY.format(book=int(book_id), each=each, some=some))
    ids = numbers(table, "id")
    first, after = np.searchsorted(ids, order_id), np.searchsorted(ids, order_id, side="right")
    if headers.size:
        # what an order has no lines of its own for, the version from the other file has
        at = np.minimum(np.searchsorted(headers, order_id), headers.size - 1)
        whole = np.flatnonzero((headers.take(at) == order_id) & (first == after))
        lined = versions.take(at.take(whole))
        first[whole], after[whole] = np.searchsorted(ids, lined), np.searchsorted(ids, lined, side="right")
    counts = after - first
    order = np.repeat(np.arange(order_id.size), counts)
    places = np.arange(order.size) + np.repeat(first - (np.cumsum(counts) - counts), counts)
    codes = {name: _of_places(labelled(table.column(name)), places) for name in ("product", "category")}
    columns = {
        "order": order,
        "amount": numbers(table, "amount").take(places),
        **{name: attribute.codes for name, attribute in codes.items()},
    }
    return Beside(columns, {name: attribute.labels for name, attribute in codes.items()})


def _of_places(attribute: Attribute, places: Int64s) -> Attribute:
    """What some lines say; what only lines of earlier versions say is no label."""
    return without_unused(Attribute(attribute.codes.take(places), attribute.labels))
