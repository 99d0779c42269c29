"""Customers and orders in a wanted sequence, and one order of each customer."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.texts import TextColumn
from goldthread.core.choices import LATEST
from goldthread.core.history.conditions import Level, Numbers, Values
from goldthread.core.history.history import History
from goldthread.core.parts import adds_up
from goldthread.core.threads.gaps import latest_orders

Int64s = NDArray[np.int64]
_BITS = 63
RANK_BITS = 32
"""A row of a list of orders is the place of the customer in the whole book, and in the lower bits that of the order in
the thread."""


def in_sequence(values: Values, rows: Int64s, *, descending: bool) -> Int64s:
    """Rows in the sequence of their values; int64. Ties stay in the order of the rows, missing values come last.

    Whole numbers are packed with the row's place into one integer and sorted as values.
    """
    key, absent = sort_key(values)
    everything = rows.size == key.size and bool((rows[1:] > rows[:-1]).all())
    if not everything:
        key, absent = key.take(rows), absent.take(rows)
    places = places_in_sequence(key, absent, descending=descending)
    return places if everything else rows.take(places)


def places_in_sequence(key: NDArray[Any], absent: NDArray[np.bool_], *, descending: bool) -> Int64s:
    """Places of numbers in their sequence; int64. Ties stay in order, those that are absent come last."""
    if not absent.any():
        return _sorted_places(key, descending)
    known = np.flatnonzero(~absent)
    ordered = known.take(_sorted_places(key.take(known), descending))
    return np.concatenate((ordered, np.flatnonzero(absent)))


@dataclass(frozen=True, eq=False)
class SortedRows:
    """Rows in the sequence of their values, and what they were sorted by. Lists of parts of a book merge by it, as do
    the first so many rows of each.

    ``rows`` : places in the whole book; int64. ``key`` : what ascends as the values do; any dtype. ``absent`` : bool,
    the same shape.
    """

    rows: Int64s
    key: NDArray[Any]
    absent: NDArray[np.bool_]
    descending: bool

    @classmethod
    def of(cls, values: Values, rows: Int64s, *, descending: bool, before: int = 0) -> SortedRows:
        """Some rows of a part, ascending. ``before`` : rows of the parts before it."""
        return cls.at(values, rows, rows + before, descending=descending)

    @classmethod
    def at(cls, values: Values, places: Int64s, rows: Int64s, *, descending: bool) -> SortedRows:
        """The same of rows, ascending, whose values stand at some places."""
        key, absent = _merge_key(values)
        return cls(rows, key.take(places), absent.take(places), descending)._in_sequence()

    @classmethod
    def as_they_are(cls, rows: Int64s) -> SortedRows:
        """Rows of a part, ascending, in the sequence of the whole book."""
        return cls.of_keys(rows, np.zeros(rows.size, np.uint8))

    @classmethod
    def of_keys(cls, rows: Int64s, key: NDArray[Any]) -> SortedRows:
        """Rows, ascending, in the sequence of some numbers."""
        return cls(rows, key, np.zeros(rows.size, np.bool_), descending=False)._in_sequence()

    def __add__(self, other: SortedRows) -> SortedRows:
        """The lists of two parts of a book, in any order."""
        rows = np.concatenate((self.rows, other.rows))
        key, absent = np.concatenate((self.key, other.key)), np.concatenate((self.absent, other.absent))
        # ties stay in the order of the rows
        return SortedRows(rows, key, absent, self.descending).some(np.argsort(rows))._in_sequence()

    def first(self, count: int) -> SortedRows:
        """The first so many rows."""
        return self.some(np.arange(min(count, self.rows.size)))

    def some(self, at: Int64s) -> SortedRows:
        """The rows at some places of the list."""
        return SortedRows(self.rows.take(at), self.key.take(at), self.absent.take(at), self.descending)

    def before(self, some: SortedRows) -> Int64s:
        """How many rows of this list stand before each of some others, which may be of other parts; int64."""
        known = self.rows.size - int(np.count_nonzero(self.absent))
        keys = self.key[:known][::-1] if self.descending else self.key[:known]
        low, high = (np.searchsorted(keys, some.key, side=side) for side in ("left", "right"))
        if self.descending:
            low, high = known - high, known - low
        low, high = np.where(some.absent, known, low), np.where(some.absent, self.rows.size, high)
        ties = zip(low.tolist(), high.tolist(), some.rows.tolist(), strict=True)
        return np.array([start + np.searchsorted(self.rows[start:end], row) for start, end, row in ties], np.int64)

    def _in_sequence(self) -> SortedRows:
        return self.some(places_in_sequence(self.key, self.absent, descending=self.descending))


def _merge_key(values: Values) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """As `sort_key`, but the same for equal values of every part of a book."""
    match values:
        case TextColumn():
            return values.beginnings(), values.empty()
        case Attribute():
            return sort_key(values)
        case _:
            return values.values, _absent(values)


def sort_key(values: Values) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """Numbers that ascend as the values do, and where there is none; the numbers of any dtype, and bool."""
    match values:
        case Attribute():
            order = np.argsort(np.array(values.labels, object), kind="stable")
            place = np.empty(order.size, np.int64)
            place[order] = np.arange(order.size)
            empty = np.array([label == "" for label in values.labels], np.bool_)
            return place.take(values.codes), empty.take(values.codes)
        case TextColumn():
            return values.ranks(), values.empty()
        case _:
            absent = _absent(values)
            return _whole(values.values, absent), absent


def _absent(numbers: Numbers) -> NDArray[np.bool_]:
    return np.zeros(numbers.values.size, np.bool_) if numbers.missing is None else numbers.missing


def _whole(values: NDArray[Any], absent: NDArray[np.bool_]) -> NDArray[Any]:
    """Days and half days as whole numbers, which are sorted faster; other values as they are."""
    if values.dtype.kind != "f":
        return values
    doubled = np.where(absent, 0.0, values) * 2
    return doubled.astype(np.int64) if np.array_equal(doubled, np.floor(doubled)) else values


def _sorted_places(key: NDArray[Any], descending: bool) -> Int64s:
    if key.size == 0:
        return np.zeros(0, np.int64)
    if key.dtype.kind in "iu":
        low, high = int(key.min()), int(key.max())
        bits = max(key.size - 1, 1).bit_length()
        if (high - low).bit_length() + bits <= _BITS:
            packed = (high - key.astype(np.int64)) if descending else (key.astype(np.int64) - low)
            packed <<= bits
            packed |= np.arange(key.size)
            packed.sort()
            return packed & ((1 << bits) - 1)
    if descending and key.dtype.kind == "S":
        # from the last to the first and turned round, so that ties stay in order
        return key.size - 1 - np.argsort(key[::-1], kind="stable")[::-1]
    order: Int64s = np.argsort(-key if descending else key, kind="stable")
    return order


def positions_shown(history: History) -> Int64s:
    """Positions of all orders that are counted, ascending; int64."""
    shown = history.shown_orders
    return np.arange(history.book.order_count) if shown is None else shown


def nth_orders(history: History, nth: int) -> Int64s:
    """Position of the order with this rank, or the latest (`LATEST`), of each customer who has one and is looked at;
    int64.

    Where a condition chooses orders and firsts are those of all orders, the order must be among the chosen.
    """
    book = history.book
    if nth == LATEST:
        positions = latest_orders(book)
    else:
        positions = book.starts.take(np.flatnonzero(book.counts >= nth)) + (nth - 1)
    if history.chosen is not None:
        positions = positions[history.chosen.take(book.customer.take(positions))]
    return positions if history.shown is None else positions[history.shown.take(positions)]


def order_rows(book: OrderBook, positions: Int64s) -> Int64s:
    """Some orders as rows of a list, wherever the book is a part of the whole; int64."""
    customer = book.customer.take(positions)
    return book.places.take(customer) << RANK_BITS | (positions - book.starts.take(customer))


def positions_of_rows(book: OrderBook, customers: Int64s, rows: Int64s) -> Int64s:
    """Where the orders of some rows stand in a book; ``customers`` : where each one's customer does; int64."""
    return book.starts.take(customers) + (rows & (1 << RANK_BITS) - 1)


@dataclass(frozen=True)
class NthBy:
    """One order of each customer who has it (`nth_orders`), in the sequence of a field."""

    nth: int
    field: str
    descending: bool

    def __call__(self, history: History) -> SortedRows:
        def sort() -> SortedRows:
            book, fields = history.book, history.fields
            positions = nth_orders(history, self.nth)
            at = positions if fields.level(self.field) is Level.ORDER else owner(book, positions)
            return SortedRows.at(fields.values(self.field), at, order_rows(book, positions), descending=self.descending)

        return history.once(self, sort)


def every_order(history: History) -> SortedRows:
    """Every shown order, by customer, then in the order of the thread."""
    return SortedRows.as_they_are(order_rows(history.book, positions_shown(history)))


@adds_up
def nth_count(history: History, nth: int) -> int:
    """How many customers have such an order (`nth_orders`)."""
    return int(nth_orders(history, nth).size)


def owner(book: OrderBook, positions: Int64s) -> Int64s:
    """Customer of each of some orders; int64."""
    return book.customer.take(positions).astype(np.int64)
