"""A book with only some of its orders, whose columns are gathered when they are first read; and one whose threads end
at a day, of which much is known without gathering anything."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import BLOCK_ORDERS, Attribute, Int64s, blocks
from goldthread.core.book.later import LaterBook, LaterByName
from goldthread.core.book.lines import OrderLines
from goldthread.core.book.order_book import ORDER_COLUMNS, Number, OrderBook
from goldthread.core.choices import Period

Int32s = NDArray[np.int32]
_FEW_OF = 16
"""Ids of fewer orders than one in so many are looked up in the whole book."""
_LOWER_BITS = np.array([(1 << bit) - 1 for bit in range(8)], np.uint8)


class FilteredBook(LaterBook):
    """A book whose order columns are gathered from its parent when they are first read."""

    _parent: OrderBook
    _mask: NDArray[np.bool_]
    _gatherer: _Gatherer
    _everybody: OrderBook | None

    @classmethod
    def of(
        cls,
        parent: OrderBook,
        mask: NDArray[np.bool_],
        everybody: OrderBook | None = None,
    ) -> Self:
        """A parent's orders in a mask."""
        starts = starts_of_kept(parent, mask)
        gatherer = _Gatherer(mask, int(starts[-1]))
        return cls.made_of(
            {name: partial(gatherer.column_of, parent, name) for name in ORDER_COLUMNS},
            starts=starts,
            customer_id=parent.customer_id,
            attributes=LaterByName({name: partial(gatherer.attribute_of, parent, name) for name in parent.attributes}),
            customers=parent.customers,
            payments=parent.payments,
            own=parent.own,
            on_record=parent.on_record,
            _parent=parent,
            _mask=mask,
            _gatherer=gatherer,
            _everybody=everybody,
        )

    @property
    def everybody(self) -> OrderBook:
        return self._everybody or self

    @property
    def first_customer(self) -> int:
        return self._parent.first_customer

    @property
    def places(self) -> Int64s:
        return self._parent.places

    @property
    def joined(self) -> Int64s | None:
        of_parent = self._parent.joined
        return None if of_parent is None else self._gather(of_parent)

    def ids_of(self, positions: Int64s) -> Int64s:
        if positions.size * _FEW_OF > self.order_count:
            # not kept: few questions ask for so many
            return self._gather(self._parent.order_id).take(positions)
        return self._parent.ids_of(self._gatherer.places(positions))

    def own_attribute(self, name: str) -> Attribute:
        return self.derived(("own", name), lambda: self._gatherer.attribute(self._parent.own_attribute(name)))

    def order_lines(self) -> OrderLines:
        return self.derived("order lines", lambda: self._parent.order_lines().kept(self._mask))

    @cached_property
    def largest_amount_minor(self) -> int:
        return self._parent.largest_amount_minor

    def amount_blocks(self, size: int = BLOCK_ORDERS) -> Iterator[tuple[slice, Int64s]]:
        return self._gathered_blocks(self._parent.amount_minor, size)

    def _period(self, period: Period) -> tuple[int, NDArray[np.uint16]]:
        first, codes = self._parent.period(period)
        return first, self._gather(codes)

    def _gather(self, column: NDArray[Any]) -> NDArray[Any]:
        return self._gatherer.column(column)

    def _gathered_blocks(
        self, column: NDArray[Number], size: int = BLOCK_ORDERS
    ) -> Iterator[tuple[slice, NDArray[Number]]]:
        end = 0
        for block in blocks(self._mask.size, size):
            values = column[block].take(np.flatnonzero(self._mask[block]))
            start, end = end, end + values.size
            yield slice(start, end), values


@dataclass(frozen=True, eq=False)
class _Gatherer:
    """Gathers columns by a mask that keeps so many entries. It does not know the book, so that a book that nobody asks
    for any more is let go at once."""

    mask: NDArray[np.bool_]
    kept_count: int

    def column(self, whole: NDArray[Any]) -> NDArray[Any]:
        out = np.empty(self.kept_count, whole.dtype)
        end = 0
        for block in blocks(self.mask.size):
            # taking what stands at a few thousand places is three times as fast as choosing by a mask
            places = np.flatnonzero(self.mask[block])
            start, end = end, end + places.size
            np.take(whole[block], places, out=out[start:end], mode="clip")
        return out

    @cached_property
    def _ends(self) -> Int64s:
        """How many entries are kept up to the end of each block."""
        return np.cumsum([np.count_nonzero(self.mask[block]) for block in blocks(self.mask.size)])

    def places(self, kept: Int64s) -> Int64s:
        """Where some of the kept entries stand in the whole, by their positions; int64."""
        out = np.empty(kept.size, np.int64)
        of_block, all_blocks = np.searchsorted(self._ends, kept, side="right"), blocks(self.mask.size)
        order = np.argsort(of_block, kind="stable")
        begins = np.flatnonzero(np.diff(of_block.take(order), prepend=-1))
        for here in np.split(order, begins[1:]) if kept.size else ():
            block = all_blocks[of_block[here[0]]]
            inside = np.flatnonzero(self.mask[block])
            out[here] = block.start + inside.take(kept.take(here) - self._ends[of_block[here[0]]] + inside.size)
        return out

    def column_of(self, book: OrderBook, name: str) -> NDArray[Any]:
        return self.column(getattr(book, name))

    def attribute_of(self, book: OrderBook, name: str) -> Attribute:
        return self.attribute(book.attributes[name])

    def attribute(self, whole: Attribute) -> Attribute:
        if len(whole.labels) == 1:
            return Attribute(np.broadcast_to(np.zeros(1, whole.codes.dtype), self.kept_count), whole.labels)
        return Attribute(self.column(whole.codes), whole.labels)


class Beginning(FilteredBook):
    """A book up to a day: a customer's orders ascend by day, so every thread is the beginning of a longer one."""

    @classmethod
    def until(cls, longer: OrderBook, last_day: int) -> Beginning:
        """The orders of a longer book up to a day, that day included."""
        return cls.of(longer, longer.day <= np.int32(last_day))

    @cached_property
    def ended(self) -> Int64s | None:
        """Positions, in the longer book, of the orders behind that day; int64, ascending. None where they are more than
        those up to it."""
        few = 2 * (self._mask.size - self.order_count) < self._mask.size
        return np.flatnonzero(~self._mask) if few else None

    @property
    def beginning_of(self) -> OrderBook:
        return self._parent

    def of_longer(self, column: NDArray[Any]) -> NDArray[Any]:
        """What a column of the longer book says of each order up to the day; of what an order is by those before it,
        the same."""
        return self._gather(column)

    @cached_property
    def day_span(self) -> tuple[int, int]:
        if self.order_count == 0:
            return 0, -1
        return self._parent.day_span[0], int(self.latest_days.max())

    def days_of(self, customer: int) -> Int32s:
        return self._parent.days_of(customer)[: int(self.counts[customer])]

    def amounts_of(self, customer: int) -> Int64s:
        return self._parent.amounts_of(customer)[: int(self.counts[customer])]

    @cached_property
    def latest_days(self) -> Int32s:
        at = self._parent.starts.take(self.ordering) + self.counts.take(self.ordering) - 1
        return self._parent.day.take(at)


def beginning(book: OrderBook, last_day: int) -> OrderBook:
    """The orders of a book up to a day; the book itself where there are no later ones."""
    return book if book.day_span[1] <= last_day else Beginning.until(book, last_day)


def starts_of_kept(parent: OrderBook, mask: NDArray[np.bool_]) -> Int64s:
    """``starts`` of the kept orders: how many are kept before each of the parent's starts, counted by packed bits;
    int64, shape (customers + 1,)."""
    packed = np.append(np.packbits(mask, bitorder="little"), np.uint8(0))
    before = np.zeros(packed.size, np.int64)
    np.cumsum(np.bitwise_count(packed[:-1]), out=before[1:])
    byte, bit = parent.starts >> 3, parent.starts & 7
    earlier_in_byte = packed.take(byte) & _LOWER_BITS.take(bit)
    kept: Int64s = before.take(byte) + np.bitwise_count(earlier_in_byte)
    return kept


def filtered(book: OrderBook, mask: NDArray[np.bool_], everybody: OrderBook | None = None) -> OrderBook:
    """The same customers with only the orders in ``mask``: linear, no sort. ``everybody`` : the threads that those in
    the mask are some of; None where they are whole threads of their own."""
    return FilteredBook.of(book, mask, everybody)
