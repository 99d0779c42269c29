"""Orders grouped by what they carry: how many, how much, the extremes; earliest and latest for pairs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.payments import NO_DAY
from goldthread.core.book.summing import Codes, distinct_pairs
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels
from goldthread.core.limits import limit_cells
from goldthread.core.parts import Together, adds_up
from goldthread.core.threads.listing import positions_shown

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]
_SEEN_MOST = 24_000_000
"""Bytes of a table of who has what; beyond, pairs are sorted."""


@dataclass(frozen=True, eq=False)
class Extremes:
    """The orders with the smallest, or the largest, amount of each group, the earlier one where several have it; int64,
    shape (groups,). ``amount_minor`` : ten-thousandths of the currency unit. ``order_id`` : the record's own key.
    ``customer`` : whose it is, by the place in the whole book. ``joined`` : how many orders it stands for; 0 where
    every order stands for itself."""

    amount_minor: Int64s
    day: Int64s
    order_id: Int64s
    customer: Int64s
    joined: Int64s

    @classmethod
    def of(cls, book: OrderBook, positions: Int64s) -> Extremes:
        """The orders at some positions of a book."""
        day, customer = (column.take(positions).astype(np.int64) for column in (book.day, book.customer))
        joined = np.zeros_like(positions) if book.joined is None else book.joined.take(positions)
        amount_minor, ids = book.amount_minor.take(positions), book.ids_of(positions)
        return cls(amount_minor, day, ids, customer + book.first_customer, joined)

    def plus(self, other: Extremes, on: Together, beats: Callable[[Int64s, Int64s], Mask]) -> Extremes:
        """Those of two parts of a book, whose groups lie on one axis. ``beats`` : whether an amount is further out."""
        columns = [on.both(getattr(self, each.name), getattr(other, each.name)) for each in fields(self)]
        (amount, others_amount), (day, others_day), _, (customer, others_customer), _ = columns
        earlier = (others_day < day) | (others_day == day) & (others_customer < customer)
        further = beats(others_amount, amount) | (others_amount == amount) & earlier
        second = ~np.isin(on.keys, on.one) | np.isin(on.keys, on.other) & further
        return Extremes(*(np.where(second, theirs, mine) for mine, theirs in columns))


@dataclass(frozen=True, eq=False)
class Groups:
    """The shown orders by group; arrays have the shape (groups,), and every group has an order.

    ``codes`` : what the groups are called by in the label of orders; int64, ascending.
    """

    labels: tuple[str, ...]
    codes: Int64s
    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s
    smallest: Extremes
    largest: Extremes
    first_day: Int64s
    latest_day: Int64s

    def __add__(self, other: Groups) -> Groups:
        """The same question of two parts of a book."""
        on, days = Together.by_code(self.codes, other.codes), np.iinfo(np.int64)
        return Groups(
            on.labels(self.labels, other.labels),
            on.keys,
            on.of(self.customers, other.customers),
            on.of(self.orders, other.orders),
            on.of(self.revenue_minor, other.revenue_minor),
            self.smallest.plus(other.smallest, on, np.less),
            self.largest.plus(other.largest, on, np.greater),
            on.of(self.first_day, other.first_day, np.minimum, days.max),
            on.of(self.latest_day, other.latest_day, np.maximum, days.min),
        )

    @property
    def average_minor(self) -> NDArray[np.float64]:
        """Revenue by order of each group, ten-thousandths; float64, shape (groups,)."""
        return self.revenue_minor / self.orders


@dataclass(frozen=True, eq=False)
class Pairs:
    """Earliest and latest day for pairs of labels; int32, shape (rows, columns), `NO_DAY` where there is no order.

    ``rows``, ``columns`` : codes of the labels that have an order, int64, ascending; for customers, their places in the
    book, which is the whole one where a part is asked. ``orders``: int64, same shape as the days.
    """

    rows: Int64s
    columns: Int64s
    row_labels: tuple[str, ...] | None
    column_labels: tuple[str, ...]
    earliest: NDArray[np.int32]
    latest: NDArray[np.int32]
    orders: Int64s

    def __add__(self, other: Pairs) -> Pairs:
        """The same question of two parts of a book."""
        rows, columns = Together.by_code(self.rows, other.rows), Together.by_code(self.columns, other.columns)

        def both(one: NDArray[Any], another: NDArray[Any], absent: int = 0) -> tuple[NDArray[Any], NDArray[Any]]:
            return columns.both(*rows.both(one, another, absent), absent, axis=1)

        earliest = both(self.earliest, other.earliest, NO_DAY)
        return Pairs(
            rows.keys,
            columns.keys,
            self.row_labels,
            columns.labels(self.column_labels, other.column_labels),
            # without an order the earlier day is the other one
            np.where(np.minimum(*earliest) == NO_DAY, np.maximum(*earliest), np.minimum(*earliest)),
            np.maximum(*both(self.latest, other.latest, NO_DAY)),
            np.add(*both(self.orders, other.orders)),
        )


@adds_up
def grouped(history: History, by: Labels | None = None) -> Groups:
    """The shown orders by a label, or all together."""
    book, positions = history.book, positions_shown(history)
    if positions.size == 0:
        none = np.zeros(0, np.int64)
        nothing = Extremes(none, none, none, none, none)
        return Groups((), none, none, none, none, nothing, nothing, none, none)
    together = Attribute(np.zeros(book.order_count, np.uint16), ("all",))
    labels = together if by is None else by(history)
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
    smallest, largest = (positions.take(_earliest(codes, day, amount == each.take(codes))) for each in (small, large))
    return Groups(
        labels=tuple(labels.labels[code] for code in present.tolist()),
        codes=present,
        customers=distinct_by_code(codes, book.customer.take(positions), count, book.customer_count).take(present),
        orders=orders.take(present),
        revenue_minor=revenue.take(present),
        smallest=Extremes.of(book, smallest),
        largest=Extremes.of(book, largest),
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


@adds_up
def pairs(history: History, by_row: Labels | None, by_column: Labels) -> Pairs:
    """Earliest and latest day of the shown orders for each pair of labels; rows are customers for None.

    Raises `TooLarge` when the grid would have more cells than a table may.
    """
    book, positions = history.book, positions_shown(history)
    columns = by_column(history)
    labels = None if by_row is None else by_row(history)
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
        rows=having_row if labels else having_row + book.first_customer,
        columns=having_column,
        row_labels=None if labels is None else labels.labels,
        column_labels=tuple(columns.labels[code] for code in having_column.tolist()),
        earliest=earliest.reshape(rows, width)[kept],
        latest=latest.reshape(rows, width)[kept],
        orders=orders[kept],
    )
