"""The order book: every customer's orders, sorted once, checked once, never changed.

Parallel arrays hold one entry per order, sorted by customer, then by the order of `goldthread.core.book.ordering`;
``starts`` marks each customer's slice. The first order of a customer is therefore the slice's first entry,
the latest its last, the rank a position and the gap a difference: nothing is joined, searched or sorted again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from copy import copy
from dataclasses import dataclass, field
from functools import cached_property, wraps
from typing import Concatenate, ParamSpec, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import (
    BLOCK_ORDERS,
    Attribute,
    CustomerColumns,
    Int32s,
    Int64s,
    OrderColumns,
    blocks,
)
from goldthread.core.book.derived import DERIVED_BYTES, DERIVED_BYTES_PER_ORDER, Derived
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.ordering import settle_ties, sorted_rows
from goldthread.core.book.own_attributes import OwnAttributes
from goldthread.core.book.payments import Payments
from goldthread.core.book.periods import period_table
from goldthread.core.book.steps import StepGaps
from goldthread.core.choices import Period
from goldthread.core.limits import BOOK_AMOUNT_BELOW
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.errors import BookInvalid

T = TypeVar("T")
Asked = ParamSpec("Asked")
Number = TypeVar("Number", bound=np.generic)
ORDER_COLUMNS = ("day", "amount_minor", "order_id", "number_key")
"""What a book has of each order beside `OrderBook.attributes`."""


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
    own : further attributes of the orders, read when asked for
    on_record : their lines, read when asked for
    steps : the gaps of everybody's first steps, where this is a part of a book; None where they are its own
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
    own: OwnAttributes = field(default_factory=OwnAttributes)
    on_record: LinesOnRecord = field(default_factory=LinesOnRecord)
    steps: StepGaps | None = None
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
        settle_ties(ordered, columns.number_key, source.codes, source.labels, columns.seconds)
        starts = np.zeros(customer_id.size + 1, np.int64)
        np.cumsum(ordered.counts, out=starts[1:])
        return cls(
            starts,
            ordered.day,
            columns.amount_minor.take(ordered.rows),
            columns.order_id.take(ordered.rows),
            customer_id,
            _gathered(columns.attributes, ordered.rows),
            columns.number_key.take(ordered.rows),
            customers or CustomerColumns(),
            payments or Payments.none(),
        )

    def knowing(self, steps: StepGaps) -> Self:
        """The same orders, of a part of a book whose parts together have these gaps."""
        known = copy(self)
        known.__dict__.update(steps=steps, _derived=Derived())
        return known

    def reading(self, own: OwnAttributes, on_record: LinesOnRecord) -> Self:
        """The same book, whose own attributes and lines are read elsewhere."""
        known = copy(self)
        known.__dict__.update(own=own, on_record=on_record)
        return known

    def complete(self) -> None:
        """Make what is made when it is first read."""

    @property
    def order_count(self) -> int:
        return int(self.starts[-1])

    @property
    def customer_count(self) -> int:
        """Customers on file, those without any order included."""
        return int(self.customer_id.size)

    @cached_property
    def counts(self) -> Int64s:
        """Orders per customer; int64, shape (customers,)."""
        return np.diff(self.starts)

    @property
    def everybody(self) -> OrderBook:
        """The same threads of all customers, where this book holds those of some alone."""
        return self

    @property
    def first_customer(self) -> int:
        """The place of its first customer, in the whole book where this is a part."""
        return 0

    @property
    def places(self) -> Int64s:
        """The place of each customer in the whole book, where this holds some of its customers; int64, ascending."""
        return np.arange(self.first_customer, self.first_customer + self.customer_count)

    @property
    def beginning_of(self) -> OrderBook | None:
        """The book whose threads go on where those of this one end; None where this one ends with no earlier day."""
        return None

    def of_ordering(self, longer: NDArray[Number]) -> NDArray[Number]:
        """Of values of the customers who order in `beginning_of`, those of the ones who do in this book, in their
        sequence; dtype of the values."""
        whole = self.beginning_of or self
        return longer[self.counts.take(whole.ordering) > 0]

    @property
    def joined(self) -> Int64s | None:
        """How many orders each entry stands for; int64, shape (orders,). None where each is one order."""
        return None

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

    @property
    def large_amount_minor(self) -> int:
        """What a large order comes to, in ten-thousandths: nineteen of twenty come to no more; 0 at least."""
        return self.derived("large amount", lambda: _large(self.amount_minor))

    @cached_property
    def largest_amount_minor(self) -> int:
        """No amount is larger than this, whatever its sign; ten-thousandths of the currency unit."""
        if self.order_count == 0:
            return 0
        return max(int(self.amount_minor.max()), -int(self.amount_minor.min()))

    def ids_of(self, positions: Int64s) -> Int64s:
        """The ids of some orders by position; int64, shape (positions,)."""
        return self.order_id.take(positions)

    def days_of(self, customer: int) -> Int32s:
        """The days of a customer's orders; int32, ascending."""
        return self.day[int(self.starts[customer]) : int(self.starts[customer + 1])]

    def amounts_of(self, customer: int) -> Int64s:
        """The amounts of a customer's orders, in the same sequence; int64."""
        return self.amount_minor[int(self.starts[customer]) : int(self.starts[customer + 1])]

    @property
    def latest_days(self) -> Int32s:
        """The day of the latest order of each customer in ``ordering``; int32."""
        return self.day.take(self.starts.take(self.ordering + 1) - 1)

    def own_attribute(self, name: str) -> Attribute:
        """A label per order of an own attribute, which may be called as one of `attributes` is. Raises `KeyError`."""
        return self.own.of(name, self.order_id)

    def order_lines(self) -> OrderLines:
        """The lines of the orders, in their sequence."""
        return self.on_record.of(self.order_id)

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
        return self._derived.get(key, make, room, self)

    @property
    def worked_out(self) -> Derived:
        """What `derived` keeps."""
        return self._derived

    def amount_blocks(self, size: int = BLOCK_ORDERS) -> Iterator[tuple[slice, Int64s]]:
        """The amounts in blocks of about a size, with the place of each block: a pass that keeps nothing; int64."""
        for block in blocks(self.order_count, size):
            yield block, self.amount_minor[block]


def kept(work: Callable[Concatenate[OrderBook, Asked], T]) -> Callable[Concatenate[OrderBook, Asked], T]:
    """A function of a book, and of values that tell its results apart, each of which is kept with the book
    (`OrderBook.derived`)."""

    @wraps(work)
    def known(book: OrderBook, /, *asked: Asked.args, **named: Asked.kwargs) -> T:
        return book.derived((work, asked, tuple(named.items())), lambda: work(book, *asked, **named))

    return known


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
    if absolute >= float(BOOK_AMOUNT_BELOW * MINOR_PER_UNIT):
        raise BookInvalid(
            f"The amounts of this book add up to more than {BOOK_AMOUNT_BELOW:.0e} units, so they cannot be summed.",
            remedy="Look for a column of numbers that are not amounts, and withdraw its delivery.",
        )


def _large(amount_minor: Int64s) -> int:
    place = amount_minor.size * 19 // 20
    return max(0, int(np.partition(amount_minor, place)[place])) if amount_minor.size else 0
