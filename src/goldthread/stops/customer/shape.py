"""One customer as JSON, and those who are found."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from goldthread.core.choices import Kind
from goldthread.core.money import amount_text
from goldthread.shape import Shape
from goldthread.stops.customer.answer import CustomerAnswer, latest_orders
from goldthread.stops.customer.finding import Found
from goldthread.stops.events_shape import EventShape
from goldthread.stops.evidence_shape import KnotShape
from goldthread.stops.field_values import Cell
from goldthread.stops.order_shape import OrderShownShape
from goldthread.stops.reading_line import ReadingLine
from goldthread.stops.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window
from goldthread.store.read.details import LineRow
from goldthread.workspace import Workspace


class FindQuery(ReadingLine):
    """What somebody types to find a customer."""

    text: str = ""
    limit: Annotated[int, Field(ge=1, le=50)] = 8


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


class OwnCellShape(Shape):
    """An own attribute that an order has. Numbers are plain decimals, dates ISO."""

    title: str
    kind: Kind
    value: str


class ThreadOrderShape(Shape):
    """An order on a thread. ``gap`` is in days, null for the first."""

    id: int
    rank: int
    gap: int | None
    category: str
    shown: bool
    order: OrderShownShape
    own: list[OwnCellShape]


class PaymentShape(Shape):
    date: dt.date
    amount: str
    reference: str
    order_number: str


class ContactMadeShape(Shape):
    """A contact with a customer, from a list that was worked."""

    list_name: str
    date: dt.date
    channel: str
    by: str
    note: str


class CustomerShape(AnswerShape):
    """One customer. ``facts`` are fields by name. ``orders`` are a window of the counted orders, the latest first.

    ``knots`` draw all of them, gathered where there are very many; those not ``inside`` are left out by a condition.
    ``filled`` are those of channel, rep and category that any order has. Of payments there are the latest.
    ``paid_to`` are the sources that sent payments, where the customer ordered from others too.
    """

    customer: int
    name: str
    keys: list[str]
    about: dict[str, str]
    facts: dict[str, Cell]
    expected_gap: float | None
    own_rhythm: bool
    paid_last: bool
    lapse: str
    not_counted: int
    filled: list[str]
    order_count: int
    offset: int
    orders: list[ThreadOrderShape]
    knots: list[KnotShape]
    payment_count: int
    payments: list[PaymentShape]
    paid_to: list[str]
    events: list[EventShape]
    contacts: list[ContactMadeShape]

    @classmethod
    def of(cls, workspace: Workspace, answer: CustomerAnswer, window: Window) -> CustomerShape:
        read, page = answer.read, answer.page
        return cls(
            **header(read, answer.words),
            customer=page.id,
            name=page.name,
            keys=page.keys,
            about=page.about,
            facts=page.facts,
            expected_gap=page.expected_gap_days,
            own_rhythm=page.own_rhythm,
            paid_last=page.paid_last,
            lapse=read.line.lapse,
            not_counted=page.not_counted,
            filled=page.filled,
            order_count=page.order_count,
            offset=window.offset,
            knots=KnotShape.list_of(page.knots),
            payment_count=page.payment_count,
            paid_to=page.paid_to,
            orders=[
                ThreadOrderShape(
                    id=order.id,
                    rank=order.rank,
                    gap=order.gap_days,
                    category=order.category,
                    shown=order.shown,
                    order=OrderShownShape.of(order.detail),
                    own=[OwnCellShape(title=each.title, kind=each.kind, value=each.value) for each in order.own],
                )
                for order in latest_orders(workspace, answer, window.offset, window.limit)
            ],
            payments=[
                PaymentShape(
                    date=payment.date,
                    amount=amount_text(payment.amount),
                    reference=payment.reference,
                    order_number=payment.order_number,
                )
                for payment in page.payments
            ],
            events=EventShape.list_of(page.events),
            contacts=[
                ContactMadeShape(
                    list_name=contact.list_name,
                    date=contact.on,
                    channel=contact.channel,
                    by=contact.by,
                    note=contact.note,
                )
                for contact in page.contacts
            ],
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
                    amount=amount_text(line.amount),
                )
                for line in lines
            ]
        )
