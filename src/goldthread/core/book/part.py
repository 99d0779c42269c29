"""A part of a book: a range of its customers, in their sequence, with all that belongs to them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, CustomerColumns
from goldthread.core.book.derived import Derived
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.own_attributes import OwnAttributes
from goldthread.core.book.payments import Payments
from goldthread.core.book.texts import TextColumn


class BookPart(OrderBook):
    """A range of the customers of a book. Columns are views of the whole's, labels are shared."""

    _whole: OrderBook
    _orders: slice
    _first: int

    @classmethod
    def of(cls, whole: OrderBook, first: int, end: int) -> BookPart:
        """The customers from ``first`` to before ``end``, by their places. Raises `ValueError` outside the book."""
        if not 0 <= first <= end <= whole.customer_count:
            raise ValueError(f"customers {first} to {end} of {whole.customer_count}")
        orders = slice(int(whole.starts[first]), int(whole.starts[end]))
        mine = slice(first, end)
        part = cls(
            whole.starts[first : end + 1] - whole.starts[first],
            whole.day[orders],
            whole.amount_minor[orders],
            whole.order_id[orders],
            whole.customer_id[mine],
            _sliced(whole.attributes, orders),
            whole.number_key[orders],
            _customers(whole.customers, mine),
            _payments(whole.payments, first, end),
            whole.own,
            whole.on_record,
        )
        part.__dict__.update(_whole=whole, _orders=orders, _first=first)
        return part

    @property
    def first_customer(self) -> int:
        return self._first

    def own_attribute(self, name: str) -> Attribute:
        return self._whole.own_attribute(name).sliced(self._orders)

    def order_lines(self) -> OrderLines:
        lines = self._whole.order_lines()
        mine = slice(*np.searchsorted(lines.order, (self._orders.start, self._orders.stop)).tolist())
        order, amount_minor = lines.order[mine] - self._orders.start, lines.amount_minor[mine]
        return OrderLines(order, lines.product.sliced(mine), lines.category.sliced(mine), amount_minor)


def _sliced(attributes: Mapping[str, Attribute], here: slice) -> dict[str, Attribute]:
    return {name: each.sliced(here) for name, each in attributes.items()}


def _customers(whole: CustomerColumns, mine: slice) -> CustomerColumns:
    texts = {name: _texts(column, mine) for name, column in whole.texts.items()}
    return replace(whole, attributes=_sliced(whole.attributes, mine), texts=texts)


def _texts(column: TextColumn, mine: slice) -> TextColumn:
    offsets = column.offsets[mine.start : mine.stop + 1]
    return TextColumn(column.data[offsets[0] : offsets[-1]], offsets - offsets[0])


def _payments(whole: Payments, first: int, end: int) -> Payments:
    theirs = whole.of_customers(first, end)
    return Payments(whole.customer[theirs] - np.int32(first), whole.day[theirs], whole.amount_minor[theirs])


class PartAlone(OrderBook):
    """A part that stands by itself, away from the whole; ``first_customer`` says where it stood."""

    _first: int

    @classmethod
    def of_book(cls, book: OrderBook, first_customer: int) -> PartAlone:
        """The columns of a part as a book."""
        part = cls.__new__(cls)
        part.__dict__.update(book.__dict__, _first=first_customer, _derived=Derived())
        return part

    @property
    def first_customer(self) -> int:
        return self._first


class SomeAlone(OrderBook):
    """Some customers of a book by themselves; ``places`` says where they stood."""

    _places: NDArray[np.int64]

    @classmethod
    def of_book(cls, book: OrderBook, places: NDArray[np.int64]) -> SomeAlone:
        """The columns of some customers as a book."""
        some = cls.__new__(cls)
        some.__dict__.update(book.__dict__, _places=places, _derived=Derived())
        return some

    @property
    def places(self) -> NDArray[np.int64]:
        return self._places


def taken(whole: OrderBook, places: NDArray[np.int64]) -> OrderBook:
    """A book of the customers at some places alone, ascending; labels stay whole. Without lines and own attributes.
    What it takes grows with their orders, however large the whole is."""
    starts, orders = _orders_of(whole, places)
    about, paid = whole.customers, whole.payments
    paid_starts, payments = _runs(*(np.searchsorted(paid.customer, each) for each in (places, places + 1)))
    return OrderBook(
        starts,
        whole.day.take(orders),
        whole.amount_minor.take(orders),
        whole.order_id.take(orders),
        whole.customer_id.take(places),
        {name: _labels(each, orders) for name, each in whole.attributes.items()},
        whole.number_key.take(orders),
        replace(
            about,
            attributes={name: _labels(each, places) for name, each in about.attributes.items()},
            texts={name: _some_texts(each, places) for name, each in about.texts.items()},
        ),
        Payments(
            np.repeat(np.arange(places.size, dtype=np.int32), np.diff(paid_starts)),
            paid.day.take(payments),
            paid.amount_minor.take(payments),
        ),
    )


def some_customers(whole: OrderBook, places: NDArray[np.int64]) -> SomeAlone:
    """The same with lines and own attributes, which are read from the whole when asked for."""
    _, orders = _orders_of(whole, places)

    def own(name: str, _order_id: NDArray[np.int64]) -> Attribute:
        return _labels(whole.own_attribute(name), orders)

    def lines(_order_id: NDArray[np.int64]) -> OrderLines:
        every = whole.order_lines()
        starts, at = _runs(*(np.searchsorted(every.order, orders, side=side) for side in ("left", "right")))
        of = np.repeat(np.arange(orders.size), np.diff(starts))
        return OrderLines(of, _labels(every.product, at), _labels(every.category, at), every.amount_minor.take(at))

    some = taken(whole, places).reading(OwnAttributes(whole.own.columns, own), LinesOnRecord(lines))
    return SomeAlone.of_book(some, places)


def _orders_of(whole: OrderBook, places: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where the orders of each customer begin among those of all of them, and their positions in the whole; int64."""
    return _runs(whole.starts.take(places), whole.starts.take(places + 1))


def _runs(first: NDArray[np.int64], end: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Some stretches one after another: where each begins, with the end of the last, and the entries of all; int64."""
    starts = np.zeros(first.size + 1, np.int64)
    np.cumsum(end - first, out=starts[1:])
    return starts, np.repeat(first - starts[:-1], end - first) + np.arange(starts[-1])


def _some_texts(column: TextColumn, places: NDArray[np.int64]) -> TextColumn:
    offsets, letters = _runs(column.offsets.take(places), column.offsets.take(places + 1))
    return TextColumn(column.data.take(letters), offsets)


def _labels(attribute: Attribute, places: NDArray[np.int64]) -> Attribute:
    return Attribute(attribute.codes.take(places), attribute.labels)
