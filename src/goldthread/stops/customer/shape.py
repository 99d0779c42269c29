"""One customer as JSON, and those who are found."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from goldthread.core.choices import Kind
from goldthread.shape import AmountText, Shape
from goldthread.stops.behind.evidence_shape import KnotShape
from goldthread.stops.behind.order_shape import OrderShownShape
from goldthread.stops.customer.answer import CustomerAnswer, latest_orders
from goldthread.stops.customer.finding import Found
from goldthread.stops.events_shape import EventShape
from goldthread.stops.field_values import Cell
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
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
        return cls.like(
            found,
            customer=found.customer_id,
            latest_date=None if found.latest is None else dt.date.fromisoformat(found.latest),
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
    amount: AmountText
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
        return cls.like(
            page,
            **header(read, answer.words),
            customer=page.id,
            expected_gap=page.expected_gap_days,
            lapse=read.line.lapse,
            offset=window.offset,
            knots=KnotShape.list_of(page.knots),
            orders=[
                ThreadOrderShape.like(order, gap=order.gap_days, order=order.detail)
                for order in latest_orders(workspace, answer, window.offset, window.limit)
            ],
            contacts=[ContactMadeShape.like(contact, date=contact.on) for contact in page.contacts],
        )


class LineShape(Shape):
    number: str
    product: str
    category: str
    quantity: str | None
    amount: AmountText


class LinesShape(Shape):
    lines: list[LineShape]

    @classmethod
    def of(cls, lines: list[LineRow]) -> LinesShape:
        return cls(
            lines=[
                LineShape.like(line, quantity=None if line.quantity is None else f"{line.quantity.normalize():f}")
                for line in lines
            ]
        )
