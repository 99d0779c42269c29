"""What stands behind one figure, as every stop gives it over the wire."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.opened import Figure, Opened, Unit
from goldthread.actions.recounting import Recounted, Tallied
from goldthread.actions.tables import money
from goldthread.actions.thread import Thread
from goldthread.api.shapes import Place, Shape


class PageQuery(BaseModel):
    """Which of the customers behind a figure are listed."""

    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=200)] = 60


class KnotShape(Shape):
    """One order on a thread; ``inside`` when the opened figure counts it."""

    date: dt.date
    amount: str
    inside: bool


class ThreadShape(Shape):
    customer: int
    name: str
    key: str
    knots: list[KnotShape]

    @classmethod
    def of(cls, thread: Thread) -> ThreadShape:
        return cls(
            customer=thread.customer_id,
            name=thread.name,
            key=thread.key,
            knots=[
                KnotShape(date=knot.date, amount=money(knot.amount_minor), inside=knot.inside) for knot in thread.knots
            ],
        )


class OpenedShape(Shape):
    """What stands behind one figure: how many, how sure, what is unusual, and some of the customers.

    ``value`` is a fraction, a count or a plain decimal of money by its ``unit``; null where undefined.
    """

    unit: Unit
    value: str | None
    beside: str
    words: str
    note: str
    low: float | None
    high: float | None
    unusual: list[str]
    averaged: bool
    customers: int
    orders: int
    revenue: str
    first_date: dt.date
    last_date: dt.date
    offset: int
    threads: list[ThreadShape]

    @classmethod
    def of(cls, opened: Opened, offset: int) -> OpenedShape:
        figure = opened.figure
        return cls(
            unit=figure.unit,
            value=_value(figure),
            beside=figure.beside,
            words=figure.words,
            note=figure.note,
            low=figure.low,
            high=figure.high,
            unusual=list(figure.unusual),
            averaged=figure.averaged,
            customers=opened.customers,
            orders=opened.orders,
            revenue=money(opened.revenue_minor),
            first_date=opened.first_date,
            last_date=opened.last_date,
            offset=offset,
            threads=[ThreadShape.of(thread) for thread in opened.threads],
        )


def _value(figure: Figure) -> str | None:
    if figure.value is None:
        return None
    match figure.unit:
        case Unit.SHARE:
            return f"{figure.value:.6f}"
        case Unit.COUNT:
            return str(round(figure.value))
        case Unit.MONEY:
            return money(round(figure.value))


class TalliedShape(Shape):
    """Distinct customers, orders, and the sum of their amounts."""

    customers: int
    orders: int
    revenue: str

    @classmethod
    def of(cls, tallied: Tallied) -> TalliedShape:
        return cls(customers=tallied.customers, orders=tallied.orders, revenue=money(tallied.revenue_minor))


class RecountedShape(Shape):
    """One figure counted twice: here, and by SQL inside the database. ``database`` is null where that cannot be told
    what is looked at; ``reason`` says why."""

    agrees: bool
    page: TalliedShape
    database: TalliedShape | None
    reason: str

    @classmethod
    def of(cls, found: Recounted) -> RecountedShape:
        return cls(
            agrees=found.agrees,
            page=TalliedShape.of(found.page),
            database=None if found.database is None else TalliedShape.of(found.database),
            reason=found.reason,
        )
