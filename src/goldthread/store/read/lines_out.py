"""Order lines read back in bulk, for the orders that a book holds.

An order that one file of its source gives as a whole and another line by line has the lines of the other. What was read
stands beside the book's snapshot from then on, memory-mapped.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.store.read.lined import lined_orders
from goldthread.store.read.orders_since import holds_still
from goldthread.store.revisions import Stamped
from goldthread.store.server.bulk import Record, labelled, numbers, read
from goldthread.store.snapshot import Beside, kept_beside

Int64s = NDArray[np.int64]
LINES_QUERY = f"""
SELECT l.order_id AS id, l.product AS product, l.category AS category,
  CAST(l.amount * {MINOR_PER_UNIT} AS SIGNED) AS amount
FROM order_lines l WHERE l.book_id = {{book}} ORDER BY l.order_id, l.sequence
"""


def lines_on_record(record: Record, book_id: int, at: Stamped, snapshots: Path) -> LinesOnRecord:
    """The lines of a book at a revision. Reading them raises `Outdated` when the book has moved on."""

    def lines(order_id: Int64s) -> OrderLines:
        holds = partial(holds_still, record, book_id, at)
        kept = kept_beside(snapshots, book_id, at, "lines", lambda: _read(record, book_id, order_id), holds)
        order, amount = kept.columns["order"], kept.columns["amount"]
        return OrderLines(order, kept.attribute("product"), kept.attribute("category"), amount)

    return LinesOnRecord(lines)


def _read(record: Record, book_id: int, order_id: Int64s) -> Beside:
    table = read(record, LINES_QUERY.format(book=int(book_id)))
    ids = numbers(table, "id")
    first, after = np.searchsorted(ids, order_id), np.searchsorted(ids, order_id, side="right")
    headers, versions = lined_orders(record, book_id)
    if headers.size:
        # what an order has no lines of its own for, the version from the other file has
        at = np.minimum(np.searchsorted(headers, order_id), headers.size - 1)
        whole = np.flatnonzero((headers.take(at) == order_id) & (first == after))
        lined = versions.take(at.take(whole))
        first[whole], after[whole] = np.searchsorted(ids, lined), np.searchsorted(ids, lined, side="right")
    counts = after - first
    order = np.repeat(np.arange(order_id.size), counts)
    places = np.arange(order.size) + np.repeat(first - (np.cumsum(counts) - counts), counts)
    product, category = labelled(table.column("product")), labelled(table.column("category"))
    columns = {
        "order": order,
        "product": product.codes.take(places),
        "category": category.codes.take(places),
        "amount": numbers(table, "amount").take(places),
    }
    return Beside(columns, {"product": product.labels, "category": category.labels})
