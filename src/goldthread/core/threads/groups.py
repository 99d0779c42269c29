"""Orders grouped by what they carry: how many, how much, the extremes; earliest and latest for pairs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.payments import NO_DAY
from goldthread.core.book.summing import Codes, distinct_pairs
from goldthread.core.choices import CUSTOMER
from goldthread.core.history.conditions import Level
from goldthread.core.history.history import History
from goldthread.core.limits import limit_cells

Int64s = NDArray[np.int64]
_SEEN_MOST = 24_000_000
"""Bytes of a table of who has what; beyond, pairs are sorted."""


@dataclass(frozen=True, eq=False)
class Groups:
    """The shown orders by group; all but ``labels`` have the shape (groups,), and every group has an order.

    ``smallest`` and ``largest``: positions of the orders with these amounts, the earlier one where several have it.
    ``average_minor``: revenue / orders, float64, ten-thousandths.
    """

    labels: list[str]
    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s
    smallest: Int64s
    largest: Int64s
    first_day: Int64s
    latest_day: Int64s

    @property
    def average_minor(self) -> NDArray[np.float64]:
        """Revenue by order of each group, ten-thousandths; float64, shape (groups,)."""
        return self.revenue_minor / self.orders


@dataclass(frozen=True, eq=False)
class Pairs:
    """Earliest and latest day for pairs of labels; int32, shape (rows, columns), `NO_DAY` where there is no order.

    ``rows``: codes of the row labels that have an order, ascending; for customers, places of customers in the book.
    ``orders``: int64, same shape as the days.
    """

    rows: Int64s
    row_labels: tuple[str, ...] | None
    column_labels: tuple[str, ...]
    earliest: NDArray[np.int32]
    latest: NDArray[np.int32]
    orders: Int64s


def positions_shown(history: History) -> Int64s:
    """Positions of all orders that are counted, ascending; int64."""
    shown = history.shown_orders
    return np.arange(history.book.order_count) if shown is None else shown


def order_labels(history: History, name: str) -> Attribute:
    """A label for every order, its own or its customer's. Raises `InvalidInput` for a field that makes no groups."""
    fields = history.fields
    labels = fields.grouping(name).labels
    if fields.level(name) is Level.ORDER:
        return labels
    return Attribute(labels.codes.take(history.book.customer), labels.labels)


def grouped(history: History, name: str | None) -> Groups:
    """The shown orders by a label, or all together."""
    book, positions = history.book, positions_shown(history)
    if positions.size == 0:
        none = np.zeros(0, np.int64)
        return Groups([], none, none, none, none, none, none, none)
    together = Attribute(np.zeros(book.order_count, np.uint16), ("all",))
    labels = together if name is None else order_labels(history, name)
    codes, count = labels.codes.take(positions).astype(np.intp), len(labels.labels)
    amount, day = book.amount_minor.take(positions), book.day.take(positions)
    orders = np.bincount(codes, minlength=count)
    present = np.flatnonzero(orders)
    limits = np.iinfo(np.int64)
    small, large = np.full(count, limits.max), np.full(count, limits.min)
    np.minimum.at(small, codes, amount)
    np.maximum.at(large, codes, amount)
    first, latest = np.full(count, np.iinfo(np.int32).max, np.int32), np.full(count, NO_DAY, np.int32)
    np.minimum.at(first, codes, day)
    np.maximum.at(latest, codes, day)
    revenue = np.zeros(count, np.int64)
    np.add.at(revenue, codes, amount)
    return Groups(
        labels=[labels.labels[code] for code in present.tolist()],
        customers=distinct_by_code(codes, book.customer.take(positions), count, book.customer_count).take(present),
        orders=orders.take(present),
        revenue_minor=revenue.take(present),
        smallest=positions.take(_earliest(codes, day, amount == small.take(codes))),
        largest=positions.take(_earliest(codes, day, amount == large.take(codes))),
        first_day=first.take(present).astype(np.int64),
        latest_day=latest.take(present).astype(np.int64),
    )


def _earliest(codes: NDArray[np.intp], day: NDArray[np.int32], among: NDArray[np.bool_]) -> Int64s:
    """Of some orders, the earliest of each code, by ascending code; every code has one."""
    places = np.flatnonzero(among)
    order = np.lexsort((day.take(places), codes.take(places)))
    in_order = codes.take(places).take(order)
    first: Int64s = places.take(order[np.append(True, in_order[1:] != in_order[:-1])])
    return first


def distinct_by_code(codes: Codes, others: Codes, count: int, most: int) -> Int64s:
    """Distinct others of each code, such as the customers of each label; int64, shape (count,).

    ``others`` : whole numbers below ``most``. A table of who has what while it is small, else by sorting pairs.
    """
    if count * most <= _SEEN_MOST:
        seen = np.zeros((most, count), np.bool_)
        seen[others, codes] = True
        counted: Int64s = seen.sum(axis=0, dtype=np.int64)
        return counted
    return np.bincount(distinct_pairs(others, codes, count)[1], minlength=count)


def pairs(history: History, row_name: str, column_name: str) -> Pairs:
    """Earliest and latest day of the shown orders for each pair of labels; rows may be customers (`CUSTOMER`).

    Raises `TooLarge` when the grid would have more cells than a table may.
    """
    book, positions = history.book, positions_shown(history)
    columns = order_labels(history, column_name)
    labels = None if row_name == CUSTOMER else order_labels(history, row_name)
    row_of = book.customer if labels is None else labels.codes
    rows = book.customer_count if labels is None else len(labels.labels)
    width = len(columns.labels)
    limit_cells(rows * width, remedy="Choose attributes with fewer values.", field="columns")
    cells = row_of.take(positions).astype(np.int64) * width + columns.codes.take(positions)
    day = book.day.take(positions)
    earliest = np.full(rows * width, np.iinfo(np.int32).max, np.int32)
    latest = np.full(rows * width, NO_DAY, np.int32)
    np.minimum.at(earliest, cells, day)
    np.maximum.at(latest, cells, day)
    orders = np.bincount(cells, minlength=rows * width).reshape(rows, width)
    earliest[latest == NO_DAY] = NO_DAY
    having_row, having_column = np.flatnonzero(orders.any(axis=1)), np.flatnonzero(orders.any(axis=0))
    kept = np.ix_(having_row, having_column)
    return Pairs(
        rows=having_row,
        row_labels=None if labels is None else labels.labels,
        column_labels=tuple(columns.labels[code] for code in having_column.tolist()),
        earliest=earliest.reshape(rows, width)[kept],
        latest=latest.reshape(rows, width)[kept],
        orders=orders[kept],
    )
