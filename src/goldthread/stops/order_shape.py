"""An order with all of its details, as JSON."""

from __future__ import annotations

import datetime as dt

from goldthread.core.money import amount_text
from goldthread.core.records import OrderStatus
from goldthread.shape import Shape
from goldthread.store.read.details import OrderDetail


class OrderShownShape(Shape):
    """An order with all of its details. ``time`` is empty where none is given."""

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
            amount=amount_text(order.amount),
            time=order.time,
            rep=order.rep,
            channel=order.channel,
        )
