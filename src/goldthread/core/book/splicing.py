"""A book made of an earlier one and of the customers that changed since: nothing is sorted or read again.

Customers who were touched leave the earlier book, and those of a book of their own take their places. Every column of
the result is pieces of the two, copied one after another. What is sorted in a book that is read anew is so here: labels
ascend, and none is left that nothing has any more.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, Codes, CustomerColumns, Int64s, without_unused
from goldthread.core.book.later import LaterBook, LaterByName
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.order_book import ORDER_COLUMNS, OrderBook
from goldthread.core.book.own_attributes import OwnAttributes
from goldthread.core.book.payments import Payments
from goldthread.core.book.texts import TextColumn

_NARROW = 1 << 16
_LONG_PIECE = 128
"""Pieces of more entries on average are copied each by itself, shorter ones gathered entry by entry."""


@dataclass(frozen=True, eq=False)
class Pieces:
    """Ranges of two arrays, the kept one and the fresh one, that make a third one after another.

    ``is_fresh``: bool; ``start``, ``stop``: int64; shape (pieces,) each. ``kept_count``: entries of the kept one.
    """

    is_fresh: NDArray[np.bool_]
    start: Int64s
    stop: Int64s
    kept_count: int

    @classmethod
    def of_customers(cls, count: int, gone: Int64s, places: Int64s) -> Pieces:
        """Of ``count`` customers those at ``gone`` leave, and fresh ones stand at ``places`` of the result; both
        ascending."""
        stays = np.ones(count, np.bool_)
        stays[gone] = False
        is_fresh = np.zeros(count - gone.size + places.size, np.bool_)
        is_fresh[places] = True
        source = np.empty(is_fresh.size, np.int64)
        source[places] = np.arange(places.size)
        source[~is_fresh] = np.flatnonzero(stays)
        begins = np.ones(is_fresh.size, np.bool_)
        begins[1:] = (np.diff(source) != 1) | (is_fresh[1:] != is_fresh[:-1])
        at = np.flatnonzero(begins)
        start = source.take(at)
        return cls(is_fresh.take(at), start, start + np.diff(at, append=is_fresh.size), count)

    def within(self, kept_starts: Int64s, fresh_starts: Int64s) -> Pieces:
        """The same of what stands within each entry; ``starts`` as in a book."""

        def edge(at: Int64s) -> Int64s:
            out = np.empty(at.size, np.int64)
            out[self.is_fresh] = fresh_starts.take(at[self.is_fresh])
            out[~self.is_fresh] = kept_starts.take(at[~self.is_fresh])
            return out

        return Pieces(self.is_fresh, edge(self.start), edge(self.stop), int(kept_starts[-1]))

    @property
    def fresh_count(self) -> int:
        """Entries of the fresh one."""
        return int((self.stop - self.start)[self.is_fresh].sum())

    @cached_property
    def _places(self) -> Int64s:
        """Where each entry of the third array stands in the other two, the fresh one after the kept one."""
        counts = self.stop - self.start
        begins = self.start + self.is_fresh * self.kept_count - (np.cumsum(counts) - counts)
        places = np.repeat(begins, counts)
        places += np.arange(places.size)
        return places

    @cached_property
    def _slices(self) -> list[tuple[bool, slice]]:
        """Each stretch, and whether it stands in the fresh one."""
        return list(zip(self.is_fresh.tolist(), map(slice, self.start.tolist(), self.stop.tolist()), strict=True))

    def of(self, kept: NDArray[Any], fresh: NDArray[Any]) -> NDArray[Any]:
        """The third array; the kept one itself where nothing is put in or left out; dtype of the kept one."""
        if self.start.size == 1 and not self.is_fresh[0] and int(self.stop[0] - self.start[0]) == kept.size:
            return kept
        fresh = fresh.astype(kept.dtype, copy=False)
        if int((self.stop - self.start).sum()) < _LONG_PIECE * self.start.size:
            both = np.concatenate((kept, fresh)) if self.is_fresh.any() else kept
            return both.take(self._places)
        # slices of a mapped file are slow to make, those of its plain view are not
        sources = (kept.view(np.ndarray), fresh.view(np.ndarray))
        return np.concatenate([kept[:0], *[sources[which][here] for which, here in self._slices]])

    def starts(self, kept: Int64s, fresh: Int64s) -> Int64s:
        """Where each entry of the result begins; from and to arrays like ``starts`` of a book; int64, shape (entries +
        1,)."""
        counts = self.of(np.diff(kept), np.diff(fresh))
        out = np.zeros(counts.size + 1, np.int64)
        np.cumsum(counts, out=out[1:])
        return out


def spliced(
    known: OrderBook, gone: Int64s, fresh: OrderBook, places: Int64s, sources: Sequence[str]
) -> OrderBook | None:
    """The book without the customers at ``gone``, and with all of ``fresh`` at ``places`` of the result.

    ``gone``, ``places``: int64, ascending. ``sources``: all names in their sequence. Lines and own attributes that the
    known book has read are in the result where the fresh one has them too. None where it cannot be told without reading
    all customers whether an attribute of theirs holds numbers alone.

    The columns of the result are put together when they are first read, and each of the known book is let go then, so
    that a book nobody else holds is never in memory twice. `OrderBook.complete` puts all of them together.
    """
    numbers = _numbers(known.customers, fresh.customers, gone)
    if numbers is None:
        return None
    pieces = Pieces.of_customers(known.customer_count, gone, places)
    of_orders = pieces.within(known.starts, fresh.starts)
    starts = pieces.starts(known.starts, fresh.starts)
    about, abouts = dict(known.customers.attributes), fresh.customers.attributes
    of_customers = {name: _of_customers(name, about, abouts, pieces) for name in _CUSTOMERS_OWN}
    for name in sorted((about.keys() | abouts.keys()) - of_customers.keys()):
        together = _of_customers(name, about, abouts, pieces)
        if together.labels != ("",):
            of_customers[name] = together
    texts, old_texts = fresh.customers.texts, known.customers.texts
    spoken = {name: partial(_texts, old_texts[name], texts[name], pieces) for name in texts}
    ranks = {name: rank for rank, name in enumerate(sources)} if starts[-1] else None
    return LaterBook.made_of(
        {name: partial(of_orders.of, getattr(known, name), getattr(fresh, name)) for name in ORDER_COLUMNS},
        starts=starts,
        customer_id=pieces.of(known.customer_id, fresh.customer_id),
        attributes=LaterByName(
            {
                name: partial(_of_orders, name, known.attributes[name], attribute, of_orders, ranks)
                for name, attribute in fresh.attributes.items()
            }
        ),
        customers=CustomerColumns(of_customers, LaterByName(spoken), numbers & of_customers.keys()),
        payments=_payments(known, fresh, pieces),
        own=_own(known, fresh, of_orders),
        on_record=_lines(known, fresh, of_orders),
    )


def _of_orders(
    name: str, kept: Attribute, fresh: Attribute, of_orders: Pieces, source_ranks: Mapping[str, int] | None
) -> Attribute:
    """An attribute of orders; ``source_ranks``: the sequence of the sources, None where no order is left."""
    if name == "status":
        return _fixed(kept, fresh, of_orders)
    if name == "category":
        return _attribute(kept, fresh, of_orders, lambda label: (label == "", label), keeps="")
    if name != "source":
        return _attribute(kept, fresh, of_orders)
    if source_ranks is None:
        return Attribute(of_orders.of(kept.codes, fresh.codes), ())
    return _attribute(kept, fresh, of_orders, lambda label: source_ranks.get(label, len(source_ranks)))


def _attribute(
    kept: Attribute,
    fresh: Attribute,
    pieces: Pieces,
    sequence: Callable[[str], Any] = str,
    keeps: str | None = None,
) -> Attribute:
    """Labels of both in their sequence, but for those that nothing has; ``keeps`` one all the same."""
    labels = tuple(sorted({*kept.labels, *(fresh.labels if fresh.codes.size else ())}, key=sequence))
    codes = pieces.of(_recoded(kept, labels), _recoded(fresh, labels) if fresh.codes.size else fresh.codes)
    return without_unused(Attribute(codes, labels), keeps)


def _fixed(kept: Attribute, fresh: Attribute, pieces: Pieces) -> Attribute:
    """Labels that every book has, whether anything has them or not."""
    return Attribute(pieces.of(kept.codes, fresh.codes), kept.labels)


def _recoded(attribute: Attribute, labels: tuple[str, ...]) -> Codes:
    if attribute.labels == labels:
        return attribute.codes
    place = {label: code for code, label in enumerate(labels)}
    wide = attribute.codes.dtype if len(labels) <= _NARROW else np.dtype(np.uint32)
    codes: Codes = np.array([place[label] for label in attribute.labels], wide).take(attribute.codes)
    return codes


_CUSTOMERS_FIXED = ("closed", "do_not_contact")
_CUSTOMERS_OWN = ("town", *_CUSTOMERS_FIXED)


def _of_customers(name: str, kept: dict[str, Attribute], fresh: Mapping[str, Attribute], pieces: Pieces) -> Attribute:
    """An attribute of customers, taken out of ``kept``; blank on the side that does not have it."""
    old, new = kept.pop(name, None) or _blank(pieces.kept_count), fresh.get(name) or _blank(pieces.fresh_count)
    return (_fixed if name in _CUSTOMERS_FIXED else _attribute)(old, new, pieces)


def _numbers(kept: CustomerColumns, fresh: CustomerColumns, gone: Int64s) -> frozenset[str] | None:
    """Which own attributes of customers hold numbers alone, as both say who have one; None where those who left may
    have been the only ones with a text, or the two are written unlike each other."""
    numbers = set()
    for name in (kept.attributes.keys() | fresh.attributes.keys()) - set(_CUSTOMERS_OWN):
        left, came = kept.attributes.get(name), fresh.attributes.get(name)
        sides = {name in each.numbers for each in (kept, fresh) if _says(each.attributes.get(name))}
        if len(sides) > 1:
            return None
        if sides == {False} and not _says(came) and left is not None:
            if _says(Attribute(left.codes.take(gone), left.labels)):
                return None
        elif sides == {True}:
            numbers.add(name)
    return frozenset(numbers)


def _says(attribute: Attribute | None) -> bool:
    """Whether any entry is filled in."""
    return attribute is not None and not bool(attribute.having("").all())


def _blank(count: int) -> Attribute:
    return Attribute(np.zeros(count, np.uint32), ("",))


def _texts(kept: TextColumn, fresh: TextColumn, pieces: Pieces) -> TextColumn:
    letters = pieces.within(kept.offsets, fresh.offsets)
    return TextColumn(letters.of(kept.data, fresh.data), pieces.starts(kept.offsets, fresh.offsets))


def _payments(known: OrderBook, fresh: OrderBook, pieces: Pieces) -> Payments:
    kept, new = (_payment_starts(book) for book in (known, fresh))
    within, counts = pieces.within(kept, new), np.diff(pieces.starts(kept, new))
    return Payments(
        np.repeat(np.arange(counts.size, dtype=np.int32), counts),
        within.of(known.payments.day, fresh.payments.day),
        within.of(known.payments.amount_minor, fresh.payments.amount_minor),
    )


def _payment_starts(book: OrderBook) -> Int64s:
    return np.searchsorted(book.payments.customer, np.arange(book.customer_count + 1))


def _own(known: OrderBook, fresh: OrderBook, of_orders: Pieces) -> OwnAttributes:
    """The attributes that both have read; the labels of the fresh one are those of the record."""
    found = {}
    for name, new in fresh.own.found.items():
        old = known.own.found.get(name)
        if old is not None:
            place = {label: code for code, label in enumerate(new.labels)}
            codes = np.array([place.get(label, place[""]) for label in old.labels], new.codes.dtype).take(old.codes)
            found[name] = Attribute(of_orders.of(codes, new.codes), new.labels)
    return replace(fresh.own, _found=found)


def _lines(known: OrderBook, fresh: OrderBook, of_orders: Pieces) -> LinesOnRecord:
    old, new = known.on_record.found, fresh.on_record.found
    if old is None or new is None:
        return LinesOnRecord(fresh.on_record.read)
    kept_starts, fresh_starts = (
        np.searchsorted(lines.order, np.arange(book.order_count + 1)) for lines, book in ((old, known), (new, fresh))
    )
    within = of_orders.within(kept_starts, fresh_starts)
    counts = np.diff(of_orders.starts(kept_starts, fresh_starts))
    lines = OrderLines(
        np.repeat(np.arange(counts.size), counts),
        _attribute(old.product, new.product, within),
        _attribute(old.category, new.category, within),
        within.of(old.amount_minor, new.amount_minor),
    )
    return LinesOnRecord(fresh.on_record.read, [lines])
