"""What lists and pages show of orders, as the reading line counts them."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.threads.groups import Groups
from goldthread.stops.reading import Read
from goldthread.store.read.details import OrderDetail
from goldthread.workspace import Workspace


def details_of(
    workspace: Workspace, read: Read, book: OrderBook, positions: NDArray[np.int64]
) -> dict[int, OrderDetail]:
    """The details of some orders of a book that a reading line made, by order id. A purchase day is shown as its first
    order, with how many more there are, and the amounts of the day together."""
    if positions.size == 0:
        return {}
    ids = book.ids_of(positions).tolist()
    found = workspace.order_details(read.book.id, ids)
    joined = book.joined
    if joined is None:
        return found
    amounts, orders = (column.take(positions).tolist() for column in (book.amount_minor, joined))
    return {
        order_id: _day(found[order_id], amount, count)
        for order_id, amount, count in zip(ids, amounts, orders, strict=True)
    }


def details_of_extremes(workspace: Workspace, read: Read, groups: Groups) -> dict[int, OrderDetail]:
    """The details of the smallest and the largest orders of groups, by order id."""
    extremes = groups.smallest, groups.largest
    ids = np.concatenate([each.order_id for each in extremes])
    found = workspace.order_details(read.book.id, ids.tolist()) if ids.size else {}
    for each in extremes:
        columns = (each.order_id.tolist(), each.amount_minor.tolist(), each.joined.tolist())
        for order_id, amount, joined in zip(*columns, strict=True):
            if joined and order_id in found:
                found[order_id] = _day(found[order_id], amount, joined)
    return found


def _day(first: OrderDetail, amount_minor: int, orders: int) -> OrderDetail:
    number = first.number if orders == 1 else f"{first.number} and {orders - 1} more"
    return replace(first, number=number, amount=Decimal(amount_minor) / MINOR_PER_UNIT)
