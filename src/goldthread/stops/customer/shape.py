"""What goes over the wire about one customer, and about finding one."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from goldthread.actions.cells import Cell
from goldthread.actions.customer import CustomerPage, LineRow, OrderDetail
from goldthread.actions.finding import Found
from goldthread.actions.reading import Read
from goldthread.actions.tables import plain_amount
from goldthread.actions.thread_wording import lapse_control
from goldthread.actions.wording import history_controls, reading_line
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import BookPath, Id, Shape
from goldthread.core.periods import to_date
from goldthread.core.records import OrderStatus


class FindQuery(HistoryQuery):
    text: str = ""
    limit: Annotated[int, Field(ge=1, le=50)] = 8


class CustomerPath(BookPath):
    customer: Id


class OrderPath(CustomerPath):
    order: Id


class OrderShownShape(Shape):
    """An order with all of its details. ``time`` is empty where none is told."""

    source: str
    number: str
    status: OrderStatus
    date: dt.date
    amount: str
    time: str
    rep: str
    channel: str

    @classmethod
    def of(cls, order: OrderDetail) -> OrderShownShape:
        return cls(
            source=order.source,
            number=order.number,
            status=order.status,
            date=order.date,
            amount=plain_amount(order.amount),
            time=order.time,
            rep=order.rep,
            channel=order.channel,
        )


class FoundShape(Shape):
    """A customer who was found."""

    customer: int
    name: str
    key: str
    email: str
    town: str
    latest_date: dt.date | None
    days_since: int | None

    @classmethod
    def of(cls, found: Found) -> FoundShape:
        return cls(
            customer=found.customer_id,
            name=found.name,
            key=found.key,
            email=found.email,
            town=found.town,
            latest_date=None if found.latest is None else dt.date.fromisoformat(found.latest),
            days_since=found.days_since,
        )


class FoundListShape(Shape):
    as_of: dt.date
    found: list[FoundShape]


class ThreadOrderShape(Shape):
    """An order on a thread. ``gap`` is in days, null for the first."""

    id: int
    rank: int
    gap: int | None
    category: str
    shown: bool
    order: OrderShownShape


class PaymentShape(Shape):
    date: dt.date
    amount: str
    reference: str
    order_number: str


class EventShape(Shape):
    begins: dt.date
    ends: dt.date
    label: str


class CustomerShape(Shape):
    """One customer. ``facts`` are fields by name; ``titles`` say what they are called."""

    customer: int
    name: str
    keys: list[str]
    about: dict[str, str]
    currency: str
    revision: int
    as_of: dt.date
    reading: list[PartShape]
    controls: list[ControlShape]
    facts: dict[str, Cell]
    expected_gap: float | None
    own_rhythm: bool
    paid_last: bool
    lapse: str
    not_counted: int
    orders: list[ThreadOrderShape]
    payments: list[PaymentShape]
    events: list[EventShape]

    @classmethod
    def of(cls, read: Read, page: CustomerPage) -> CustomerShape:
        return cls(
            customer=page.id,
            name=page.name,
            keys=page.keys,
            about=page.about,
            currency=read.book.currency,
            revision=read.shelved.revision,
            as_of=to_date(read.as_of_day),
            reading=PartShape.list_of(reading_line(read)),
            controls=[ControlShape.of(control) for control in (lapse_control(read), *history_controls(read))],
            facts=page.facts,
            expected_gap=page.expected_gap_days,
            own_rhythm=page.own_rhythm,
            paid_last=page.paid_last,
            lapse=read.choice.lapse,
            not_counted=page.not_counted,
            orders=[
                ThreadOrderShape(
                    id=order.id,
                    rank=order.rank,
                    gap=order.gap_days,
                    category=order.category,
                    shown=order.shown,
                    order=OrderShownShape.of(order.detail),
                )
                for order in page.orders
            ],
            payments=[
                PaymentShape(
                    date=payment.date,
                    amount=plain_amount(payment.amount),
                    reference=payment.reference,
                    order_number=payment.order_number,
                )
                for payment in page.payments
            ],
            events=[EventShape(begins=event.begins, ends=event.ends, label=event.label) for event in page.events],
        )


class LineShape(Shape):
    number: str
    product: str
    category: str
    quantity: str | None
    amount: str


class LinesShape(Shape):
    lines: list[LineShape]

    @classmethod
    def of(cls, lines: list[LineRow]) -> LinesShape:
        return cls(
            lines=[
                LineShape(
                    number=line.number,
                    product=line.product,
                    category=line.category,
                    quantity=None if line.quantity is None else f"{line.quantity.normalize():f}",
                    amount=plain_amount(line.amount),
                )
                for line in lines
            ]
        )
