"""An order with all of its details, as JSON."""

from __future__ import annotations

import datetime as dt

from goldthread.core.records import OrderStatus
from goldthread.shape import AmountText, Shape


class OrderShownShape(Shape):
    """An order with all of its details. ``time`` is empty where none is given."""

    source: str
    number: str
    status: OrderStatus
    date: dt.date
    amount: AmountText
    time: str
    rep: str
    channel: str
