"""What goes over the wire about sources, possible duplicates, and changes made by hand."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

import numpy as np
from pydantic import BaseModel, Field

from goldthread.actions.by_hand import CustomerByHand, EventByHand, OrderByHand
from goldthread.actions.identity import Shared
from goldthread.api.shapes.books import BookPath
from goldthread.core.book.periods import period_label
from goldthread.core.choices import Period
from goldthread.core.coverage import Coverage
from goldthread.core.limits import SAID_OF_MOST
from goldthread.core.records import OrderStatus, Verdict
from goldthread.shape import AmountText, Id, Shape
from goldthread.store.read.details import OrderRow
from goldthread.store.read.duplicates import Duplicate, Known, Likeness


class SourceMonthsShape(Shape):
    """Orders of a source by month; places of the months that look missing or doubled; customers shared with each
    source, in the sequence of the sources, its own in its own place."""

    name: str
    orders: list[int]
    missing: list[int]
    doubled: list[int]
    shared: list[int]


class SourcesShape(Shape):
    months: list[str]
    sources: list[SourceMonthsShape]

    @classmethod
    def of(cls, months: Coverage, shared: Shared) -> SourcesShape:
        labels = [period_label(months.first_month + place, Period.MONTH) for place in range(months.orders.shape[1])]
        return cls(
            months=labels,
            sources=[
                SourceMonthsShape(
                    name=name,
                    orders=months.orders[row].tolist(),
                    missing=np.flatnonzero(months.missing[row]).tolist(),
                    doubled=np.flatnonzero(months.doubled[row]).tolist(),
                    shared=shared.customers[row].tolist(),
                )
                for row, name in enumerate(months.sources)
            ],
        )


class KnownShape(Shape):
    id: int
    name: str
    town: str
    keys: list[str]
    orders: int
    latest: dt.date | None

    @classmethod
    def of(cls, known: Known) -> KnownShape:
        return cls.like(known, latest=dt.date.fromisoformat(known.latest) if known.latest else None)


class DuplicateShape(Shape):
    """Customers that look like one, and in what they are alike; ``version`` goes with what is said of them, as
    ``If-Match``. Of many, as many are shown as something can be said of at once; ``customer_count`` is how many there
    are."""

    likeness: Likeness
    alike: str
    customers: list[KnownShape]
    customer_count: int
    version: int

    @classmethod
    def of(cls, duplicate: Duplicate) -> DuplicateShape:
        customers = [KnownShape.of(known) for known in duplicate.customers]
        return cls(
            likeness=duplicate.likeness,
            alike=duplicate.alike,
            customers=customers,
            customer_count=duplicate.customer_count,
            version=duplicate.word,
        )


class DuplicatesShape(Shape):
    total: int
    duplicates: list[DuplicateShape]


class MatchIn(Shape):
    """What is said of customers."""

    customers: Annotated[list[Id], Field(min_length=2, max_length=SAID_OF_MOST)]
    verdict: Verdict


class OrderQuery(BaseModel):
    source: str
    number: str


class OrderIn(Shape):
    """An order as somebody writes it down; a customer with an @ is known by e-mail. The date is ISO 8601."""

    source: str
    number: str
    customer: str
    date: str
    amount: str
    status: OrderStatus = OrderStatus.PAID
    rep: str = ""
    channel: str = ""

    def order(self) -> OrderByHand:
        return OrderByHand(**self.model_dump())


class EventPath(BookPath):
    event: Id


class EventIn(Shape):
    """An event as somebody writes it down; dates are ISO 8601, ``until`` blank for one day. ``instead``: the number
    ``by_hand`` of the one that it takes the place of."""

    label: str
    begins: str
    until: str = ""
    instead: Id | None = None

    def event(self) -> EventByHand:
        return EventByHand(self.label, self.begins, self.until)


class OrderShape(Shape):
    """An order as it is on record; ``version`` goes with a change of it, as ``If-Match``."""

    version: int
    source: str
    number: str
    customer: str
    date: dt.date
    time: str
    amount: AmountText
    status: OrderStatus
    rep: str
    channel: str
    file_name: str


class FoundOrderShape(Shape):
    order: OrderShape | None

    @classmethod
    def of(cls, row: OrderRow | None) -> FoundOrderShape:
        return cls(order=OrderShape.like(row) if row else None)


class CustomerIn(Shape):
    """A customer by number or e-mail; null leaves a mark as it is, and an empty text what is known."""

    number: str = ""
    email: str = ""
    name: str = ""
    town: str = ""
    closed: bool | None = None
    do_not_contact: bool | None = None

    def customer(self) -> CustomerByHand:
        return CustomerByHand(**self.model_dump())
