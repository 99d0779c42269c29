"""The order book: every customer's orders, sorted once, checked once, never changed.

Parallel arrays hold one entry per order, sorted by customer, then by the order of `goldthread.core.ordering`;
``starts`` marks each customer's slice. The first order of a customer is therefore the slice's first entry,
the latest its last, the rank a position and the gap a difference: nothing is joined, searched or sorted again.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, is_dataclass
from dataclasses import fields as fields_of_dataclass
from functools import cached_property
from threading import Lock
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from goldthread.core.limits import BOOK_AMOUNT_BELOW
from goldthread.core.ordering import Texts, number_keys, settle_ties, sorted_rows
from goldthread.core.payments import Payments
from goldthread.core.periods import Period, period_table
from goldthread.core.texts import TextColumn
from goldthread.errors import BookInvalid

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Codes = NDArray[np.unsignedinteger[Any]]
T = TypeVar("T")
Number = TypeVar("Number", bound=np.generic)

BLOCK_ORDERS = 1 << 16
"""Orders per block of a pass: temporaries of this size stay in the processor's cache."""
DERIVED_BYTES, DERIVED_BYTES_PER_ORDER = 32 << 20, 96
"""What the derived columns of a book may hold together: enough for every column of one question."""
_MINOR = 10_000
_LOWER_BITS = np.array([(1 << bit) - 1 for bit in range(8)], np.uint8)


@dataclass(frozen=True, eq=False)
class Attribute:
    """A label per order or customer: small-integer codes into ``labels``. The empty label means that none is told."""

    codes: Codes
    labels: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class CustomerColumns:
    """What is known of the customers, one entry per customer.

    Attributes
    ----------
    attributes : town, marks and own attributes, by name
    texts : ``name``, ``number`` and ``email``, of which nearly every one is different
    found_by : all that a customer can be found by, folded for searching; without any text where nothing is
    """

    attributes: Mapping[str, Attribute] = field(default_factory=dict)
    texts: Mapping[str, TextColumn] = field(default_factory=dict)
    found_by: TextColumn = field(default_factory=lambda: TextColumn.of([]))

    def name(self, customer: int) -> str:
        """The name of a customer."""
        return self.texts["name"].at(customer)

    def key(self, customer: int) -> str:
        """The number of a customer, or the e-mail of one without a number."""
        return self.texts["number"].at(customer) or self.texts["email"].at(customer)


@dataclass(frozen=True, eq=False)
class OrderColumns:
    """Orders as they come, in any sequence; one entry per order.

    Attributes
    ----------
    customer : int32, shape (n,), 0 … customers − 1
    day : int32, shape (n,), days since 1970-01-01
    amount_minor : int64, shape (n,), ten-thousandths of the currency unit
    order_id : int64, shape (n,), the record's own key
    attributes : codes per order; ``source`` and ``status`` are needed by the history rule
    numbers : order numbers; read where customer and day tie, and for their natural order
    number_key : int64, shape (n,), ascending as the numbers do in natural order; None to work it out
    seconds : int32, shape (n,), time of day or −1; None when no order has a time
    """

    customer: Int32s
    day: Int32s
    amount_minor: Int64s
    order_id: Int64s
    attributes: Mapping[str, Attribute]
    numbers: Texts
    seconds: Int32s | None = None
    number_key: Int64s | None = None


@dataclass(frozen=True, eq=False)
class OrderBook:
    """Orders of all customers, sorted; immutable, and trusted by every algorithm.

    Attributes
    ----------
    starts : int64, shape (customers + 1,); customer c's orders are ``starts[c]:starts[c + 1]``, possibly none
    day : int32, shape (orders,), days since 1970-01-01
    amount_minor : int64, shape (orders,), ten-thousandths of the currency unit
    order_id : int64, shape (orders,)
    customer_id : int64, shape (customers,)
    attributes : label per order, by name
    number_key : int64, shape (orders,), ascending, within a customer, as order numbers do in natural order
    customers : what is known of the customers
    payments : theirs, of any date
    """

    starts: Int64s
    day: Int32s
    amount_minor: Int64s
    order_id: Int64s
    customer_id: Int64s
    attributes: Mapping[str, Attribute]
    number_key: Int64s
    customers: CustomerColumns = field(default_factory=CustomerColumns)
    payments: Payments = field(default_factory=Payments.none)
    _derived: Derived = field(default_factory=lambda: Derived(), repr=False)

    @classmethod
    def build(
        cls,
        columns: OrderColumns,
        customer_id: Int64s,
        customers: CustomerColumns | None = None,
        payments: Payments | None = None,
    ) -> OrderBook:
        """Sort unsorted columns into a book.

        Raises `BookInvalid` when lengths differ, a customer is out of range, or the amounts add up to more than can be
        summed exactly. Linear apart from one sort.
        """
        _validate(columns, customer_id.size)
        ordered = sorted_rows(columns.customer, columns.day, customer_id.size)
        source = columns.attributes["source"]
        number_key = (
            number_keys(columns.numbers, ordered.rows.size) if columns.number_key is None else columns.number_key
        )
        settle_ties(ordered, number_key, source.codes, source.labels, columns.seconds)
        starts = np.zeros(customer_id.size + 1, np.int64)
        np.cumsum(ordered.counts, out=starts[1:])
        return cls(
            starts,
            ordered.day,
            columns.amount_minor.take(ordered.rows),
            columns.order_id.take(ordered.rows),
            customer_id,
            _gathered(columns.attributes, ordered.rows),
            number_key.take(ordered.rows),
            customers or CustomerColumns(),
            payments or Payments.none(),
        )

    @property
    def order_count(self) -> int:
        return int(self.day.size)

    @property
    def customer_count(self) -> int:
        """Customers on file, those without any order included."""
        return int(self.customer_id.size)

    @cached_property
    def counts(self) -> Int64s:
        """Orders per customer; int64, shape (customers,)."""
        return np.diff(self.starts)

    @cached_property
    def ordering(self) -> Int64s:
        """Customers with at least one order, ascending; int64."""
        return np.flatnonzero(self.counts)

    @cached_property
    def customer(self) -> Int32s:
        """Customer of each order; int32, shape (orders,)."""
        return np.repeat(np.arange(self.customer_count, dtype=np.int32), self.counts)

    @cached_property
    def day_span(self) -> tuple[int, int]:
        """Earliest and latest order day; (0, −1) for a book without orders."""
        if self.order_count == 0:
            return 0, -1
        return int(self.day.min()), int(self.day.max())

    @cached_property
    def largest_amount_minor(self) -> int:
        """No amount is larger than this, whatever its sign; ten-thousandths of the currency unit."""
        if self.order_count == 0:
            return 0
        return max(int(self.amount_minor.max()), -int(self.amount_minor.min()))

    def period(self, period: Period) -> tuple[int, NDArray[np.uint16]]:
        """Index of the earliest period, and each order's period counted from it; uint16, shape (orders,)."""
        return self.derived(("period", period), lambda: self._period(period))

    def _period(self, period: Period) -> tuple[int, NDArray[np.uint16]]:
        low, high = self.day_span
        table = period_table(low, max(low, high), period)
        first = int(table[0])
        narrow = (table - first).astype(np.uint16)
        out = np.empty(self.order_count, np.uint16)
        for block in blocks(self.order_count):
            out[block] = narrow.take(self.day[block] - np.int32(low))
        return first, out

    def derived(self, key: object, make: Callable[[], T]) -> T:
        """A column worked out once per book and kept with it, until so many others were asked for since."""
        room = DERIVED_BYTES + DERIVED_BYTES_PER_ORDER * max(self.order_count, self.customer_count)
        return self._derived.get(key, make, room)

    def amount_blocks(self, size: int = BLOCK_ORDERS) -> Iterator[tuple[slice, Int64s]]:
        """The amounts in blocks of about a size, with the place of each block: a pass that keeps nothing."""
        for block in blocks(self.order_count, size):
            yield block, self.amount_minor[block]

    def with_threads(self, places: Int64s, threads: OrderBook) -> OrderBook:
        """The same book with all orders of some customers replaced by those of a book of these customers alone.

        ``places``: ascending; customer ``places[i]`` here is customer i there. Linear; nothing is sorted again.
        """
        counts = self.counts.copy()
        counts[places] = threads.counts
        starts = np.zeros_like(self.starts)
        np.cumsum(counts, out=starts[1:])

        def spliced(old: NDArray[Any], new: NDArray[Any]) -> NDArray[Any]:
            pieces, after = [], 0
            for mine, place in enumerate(places.tolist()):
                pieces += [old[after : self.starts[place]], new[threads.starts[mine] : threads.starts[mine + 1]]]
                after = int(self.starts[place + 1])
            return np.concatenate([*pieces, old[after:]])

        return OrderBook(
            starts,
            spliced(self.day, threads.day),
            spliced(self.amount_minor, threads.amount_minor),
            spliced(self.order_id, threads.order_id),
            self.customer_id,
            {name: _merged(mine, threads.attributes[name], spliced) for name, mine in self.attributes.items()},
            spliced(self.number_key, threads.number_key),
            self.customers,
            self.payments,
        )

    def kept(self, mask: NDArray[np.bool_]) -> OrderBook:
        """The same customers with only the orders in ``mask``: linear, no sort."""
        return _Thinned.of(self, mask)


class Derived:
    """Columns worked out of a book, those asked for last; safe to use from several threads."""

    def __init__(self) -> None:
        self._values: OrderedDict[object, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self._values)

    def get(self, key: object, make: Callable[[], T], room_bytes: int) -> T:
        """A value, made when it is not kept; the ones asked for longest ago make room."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                known: T = self._values[key][0]
                return known
        value = make()
        size = _bytes_of(value)
        with self._lock:
            if key not in self._values:
                self._values[key] = (value, size)
                self._bytes += size
            while self._bytes > room_bytes and len(self._values) > 1:
                self._bytes -= self._values.popitem(last=False)[1][1]
        return value


def _bytes_of(value: object) -> int:
    """About how many bytes a derived value holds."""
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, tuple | list):
        return 64 + sum(map(_bytes_of, value))
    if is_dataclass(value):
        return 64 + sum(_bytes_of(getattr(value, each.name)) for each in fields_of_dataclass(value))
    return 64


class _Thinned(OrderBook):
    """A book whose order columns are gathered from its parent when they are first read."""

    _parent: OrderBook
    _mask: NDArray[np.bool_]
    _kept_count: int

    @classmethod
    def of(cls, parent: OrderBook, mask: NDArray[np.bool_]) -> _Thinned:
        starts = _starts_of_kept(parent, mask)
        thinned = cls.__new__(cls)
        thinned.__dict__.update(
            starts=starts,
            customer_id=parent.customer_id,
            customers=parent.customers,
            payments=parent.payments,
            _derived=Derived(),
            _parent=parent,
            _mask=mask,
            _kept_count=int(starts[-1]),
        )
        return thinned

    def __getattr__(self, name: str) -> Any:
        if name in ("day", "amount_minor", "order_id", "number_key"):
            value: Any = self._gather(getattr(self._parent, name))
        elif name == "attributes":
            value = _LazyAttributes(self, self._parent.attributes)
        else:
            raise AttributeError(name)
        self.__dict__[name] = value
        return value

    @property
    def order_count(self) -> int:
        return self._kept_count

    @cached_property
    def largest_amount_minor(self) -> int:
        return self._parent.largest_amount_minor

    def amount_blocks(self, size: int = BLOCK_ORDERS) -> Iterator[tuple[slice, Int64s]]:
        return self._gathered_blocks(self._parent.amount_minor, size)

    def _period(self, period: Period) -> tuple[int, NDArray[np.uint16]]:
        first, codes = self._parent.period(period)
        return first, self._gather(codes)

    def _gather(self, column: NDArray[Any]) -> NDArray[Any]:
        out = np.empty(self._kept_count, column.dtype)
        end = 0
        for block in blocks(self._mask.size):
            # taking what stands at a few thousand places is three times as fast as choosing by a mask
            places = np.flatnonzero(self._mask[block])
            start, end = end, end + places.size
            np.take(column[block], places, out=out[start:end], mode="clip")
        return out

    def _gathered_blocks(
        self, column: NDArray[Number], size: int = BLOCK_ORDERS
    ) -> Iterator[tuple[slice, NDArray[Number]]]:
        end = 0
        for block in blocks(self._mask.size, size):
            values = column[block].take(np.flatnonzero(self._mask[block]))
            start, end = end, end + values.size
            yield slice(start, end), values


class _LazyAttributes(Mapping[str, Attribute]):
    """The attributes of a thinned book, each gathered when it is first read."""

    def __init__(self, book: _Thinned, of_parent: Mapping[str, Attribute]) -> None:
        self._book, self._of_parent = book, of_parent
        self._gathered: dict[str, Attribute] = {}

    def __getitem__(self, name: str) -> Attribute:
        if name not in self._gathered:
            whole = self._of_parent[name]
            self._gathered[name] = Attribute(self._book._gather(whole.codes), whole.labels)
        return self._gathered[name]

    def __contains__(self, name: object) -> bool:
        return name in self._of_parent

    def __iter__(self) -> Iterator[str]:
        return iter(self._of_parent)

    def __len__(self) -> int:
        return len(self._of_parent)


def blocks(count: int, size: int = BLOCK_ORDERS) -> list[slice]:
    """Slices of at most ``size`` that cover ``count`` orders."""
    return [slice(start, min(start + size, count)) for start in range(0, count, size)]


def _starts_of_kept(parent: OrderBook, mask: NDArray[np.bool_]) -> Int64s:
    """``starts`` of the kept orders: how many are kept before each of the parent's starts, counted by packed bits."""
    packed = np.append(np.packbits(mask, bitorder="little"), np.uint8(0))
    before = np.zeros(packed.size, np.int64)
    np.cumsum(np.bitwise_count(packed[:-1]), out=before[1:])
    byte, bit = parent.starts >> 3, parent.starts & 7
    earlier_in_byte = packed.take(byte) & _LOWER_BITS.take(bit)
    kept: Int64s = before.take(byte) + np.bitwise_count(earlier_in_byte)
    return kept


def _merged(old: Attribute, new: Attribute, spliced: Callable[[NDArray[Any], NDArray[Any]], NDArray[Any]]) -> Attribute:
    """Labels of replaced orders: those that were not there before come after the others."""
    labels = (*old.labels, *(label for label in new.labels if label not in set(old.labels)))
    place = {label: code for code, label in enumerate(labels)}
    wide = np.uint16 if len(labels) <= 1 << 16 else np.uint32
    codes = np.array([place[label] for label in new.labels], wide).take(new.codes)
    return Attribute(spliced(old.codes.astype(wide, copy=False), codes), labels)


def _gathered(attributes: Mapping[str, Attribute], rows: Int64s) -> dict[str, Attribute]:
    """All codes in sorted order; they lie side by side while gathered, so each row is fetched once."""
    together = np.stack([attribute.codes for attribute in attributes.values()], axis=1).take(rows, axis=0)
    return {
        name: Attribute(together[:, place].astype(attribute.codes.dtype), attribute.labels)
        for place, (name, attribute) in enumerate(attributes.items())
    }


def _validate(columns: OrderColumns, customers: int) -> None:
    n = columns.customer.size
    sizes = {columns.day.size, columns.amount_minor.size, columns.order_id.size}
    sizes |= {attribute.codes.size for attribute in columns.attributes.values()}
    if columns.seconds is not None:
        sizes.add(columns.seconds.size)
    if sizes != {n}:
        raise BookInvalid(f"Order columns differ in length: {sorted(sizes | {n})}.")
    if "source" not in columns.attributes or "status" not in columns.attributes:
        raise BookInvalid("An order book needs a source and a status for every order.")
    if n and not (int(columns.customer.min()) >= 0 and int(columns.customer.max()) < customers):
        raise BookInvalid(f"An order names a customer outside 0 … {customers - 1}.")
    absolute = sum(float(np.abs(columns.amount_minor[block].astype(np.float64)).sum()) for block in blocks(n))
    if absolute >= float(BOOK_AMOUNT_BELOW * _MINOR):
        raise BookInvalid(
            f"The amounts of this book add up to more than {BOOK_AMOUNT_BELOW:.0e} units, so they cannot be summed.",
            remedy="Look for a column of numbers that are no amounts, and withdraw its delivery.",
        )
